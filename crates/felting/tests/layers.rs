//! The house as docs/architecture.md draws it: which module may import which.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

/// The modules from the ground up: each imports from those before it alone.
const LAYERS: &[&str] = &[
    "id",
    "progress",
    "diagnostic",
    "value",
    "source",
    "fabric",
    "behaviour",
    "walk",
    "rules",
    "open",
    "wire",
    "build",
    "scaffold",
    "generator",
];

/// Each file below `src`, by its path as a module.
fn files() -> BTreeMap<Vec<String>, syn::File> {
    fn gather(folder: &Path, found: &mut Vec<PathBuf>) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            match path.is_dir() {
                true => gather(&path, found),
                false => found.push(path),
            }
        }
    }
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut paths = Vec::new();
    gather(&root, &mut paths);
    let parse = |path: PathBuf| {
        let inside = path.strip_prefix(&root).unwrap().with_extension("");
        let module = inside.iter().map(|part| part.to_str().unwrap().to_owned()).collect();
        (module, syn::parse_file(&std::fs::read_to_string(&path).unwrap()).unwrap())
    };
    paths.into_iter().map(parse).filter(|(module, _)| *module != ["lib"]).collect()
}

/// The paths that a file's `use` lines name, each with whether it is only passed on.
fn used(file: &syn::File) -> Vec<(Vec<String>, bool)> {
    fn spread(tree: &syn::UseTree, before: &[String], found: &mut Vec<Vec<String>>) {
        let with = |name: &syn::Ident| [before, &[name.to_string()]].concat();
        match tree {
            syn::UseTree::Path(path) => spread(&path.tree, &with(&path.ident), found),
            syn::UseTree::Name(name) if name.ident == "self" => found.push(before.to_vec()),
            syn::UseTree::Name(name) => found.push(with(&name.ident)),
            syn::UseTree::Rename(name) => found.push(with(&name.ident)),
            syn::UseTree::Glob(_) => found.push(before.to_vec()),
            syn::UseTree::Group(group) => {
                group.items.iter().for_each(|tree| spread(tree, before, found));
            }
        }
    }
    let uses = file.items.iter().filter_map(|item| match item {
        syn::Item::Use(line) => Some(line),
        _ => None,
    });
    let paths = uses.flat_map(|line| {
        let mut found = Vec::new();
        spread(&line.tree, &[], &mut found);
        let passed_on = !matches!(line.vis, syn::Visibility::Inherited);
        found.into_iter().map(move |path| (path, passed_on))
    });
    paths.collect()
}

/// A path as it is from the root; none if it is of another crate.
fn from_root(
    module: &[String],
    path: &[String],
    known: &BTreeSet<Vec<String>>,
) -> Option<Vec<String>> {
    let supers = path.iter().take_while(|part| *part == "super").count();
    match path.first().map(String::as_str) {
        Some("crate") => Some(path[1..].to_vec()),
        Some("self") => Some([module, &path[1..]].concat()),
        Some("super") => Some([&module[..module.len() - supers], &path[supers..]].concat()),
        Some(first) => {
            let child = [module, &[first.to_owned()]].concat();
            known.contains(&child).then(|| [module, path].concat())
        }
        None => None,
    }
}

#[test]
fn no_layer_imports_from_one_above_it() {
    let files = files();
    let known: BTreeSet<Vec<String>> = files.keys().cloned().collect();
    let place = |layer: &str| LAYERS.iter().position(|known| *known == layer);
    let mut wrong = Vec::new();
    for (module, file) in &files {
        let own = place(&module[0]);
        assert!(own.is_some(), "{module:?} is in no layer");
        for (path, _) in used(file) {
            let Some(path) = from_root(module, &path, &known) else { continue };
            let Some(layer) = path.first().filter(|first| place(first).is_some()) else { continue };
            if place(layer) > own {
                wrong.push(format!("{} imports {}", module.join("::"), path.join("::")));
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

/// The name by which a file passes a name of another on, and the whole path of that.
type PassedOn = BTreeMap<Vec<String>, Vec<String>>;

/// The file that a path leads into, when names that are passed on are followed.
fn file_of(
    path: &[String],
    known: &BTreeSet<Vec<String>>,
    passed_on: &PassedOn,
) -> Option<Vec<String>> {
    let mut path = path.to_vec();
    // Names are passed on from folder to folder, never in a circle.
    for _ in 0..8 {
        let prefixes = (1..=path.len()).map(|length| &path[..length]);
        let on = prefixes.filter(|part| !known.contains(*part)).find_map(|part| {
            passed_on.get(part).map(|whole| [whole, &path[part.len()..]].concat())
        });
        match on {
            Some(on) => path = on,
            None => break,
        }
    }
    (1..=path.len()).rev().map(|length| path[..length].to_vec()).find(|part| known.contains(part))
}

/// The paths in a file's code that lead into a file of its folder, such as `table::is_used`. A family of rules names
/// its rules, and compiling its steps: lists of what there is, which nothing below looks into.
fn named(file: &syn::File) -> Vec<Vec<String>> {
    struct Paths(Vec<Vec<String>>);
    impl<'ast> syn::visit::Visit<'ast> for Paths {
        fn visit_path(&mut self, path: &'ast syn::Path) {
            let parts: Vec<String> =
                path.segments.iter().map(|part| part.ident.to_string()).collect();
            if parts.len() > 1 && !parts.last().unwrap().starts_with("RULE") {
                self.0.push(parts);
            }
            syn::visit::visit_path(self, path);
        }

        fn visit_item_mod(&mut self, item: &'ast syn::ItemMod) {
            let is_test = item.attrs.iter().any(|attribute| attribute.path().is_ident("cfg"));
            if !is_test {
                syn::visit::visit_item_mod(self, item);
            }
        }
    }
    let mut paths = Paths(Vec::new());
    syn::visit::Visit::visit_file(&mut paths, file);
    paths.0
}

#[test]
fn files_do_not_lean_on_each_other_in_a_circle() {
    let files = files();
    let known: BTreeSet<Vec<String>> = files.keys().cloned().collect();
    let mut passed_on = PassedOn::new();
    for (module, file) in &files {
        for (path, on) in used(file) {
            if let Some(path) = from_root(module, &path, &known).filter(|_| on) {
                let name = [&module[..], &path[path.len() - 1..]].concat();
                passed_on.insert(name, path);
            }
        }
    }
    let leans = |module: &Vec<String>, file: &syn::File| -> BTreeSet<Vec<String>> {
        let uses = used(file).into_iter().filter(|(_, on)| !on).map(|(path, _)| path);
        uses.chain(named(file))
            .filter_map(|path| from_root(module, &path, &known))
            .filter_map(|path| file_of(&path, &known, &passed_on))
            .filter(|other| other != module)
            .collect()
    };
    let mut left: BTreeMap<Vec<String>, BTreeSet<Vec<String>>> =
        files.iter().map(|(module, file)| (module.clone(), leans(module, file))).collect();
    assert!(left.values().filter(|others| !others.is_empty()).count() > 100, "what leans is seen");
    // What leans on nothing that is left can't be in a circle, nor can what nothing leans on.
    loop {
        let before = left.len();
        let modules: BTreeSet<Vec<String>> = left.keys().cloned().collect();
        left.retain(|_, others| others.iter().any(|other| modules.contains(other)));
        let leant_on: BTreeSet<Vec<String>> = left.values().flatten().cloned().collect();
        left.retain(|module, _| leant_on.contains(module));
        if left.len() == before {
            break;
        }
    }
    let circle: Vec<String> = left
        .iter()
        .flat_map(|(module, others)| {
            let others = others.iter().filter(|other| left.contains_key(*other));
            others.map(|other| format!("{} leans on {}", module.join("::"), other.join("::")))
        })
        .collect();
    assert!(circle.is_empty(), "{circle:#?}");
}
