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
    "behavior",
    "walk",
    "rules",
    "open",
    "wire",
    "build",
    "first",
    "large",
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
