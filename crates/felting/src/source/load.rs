//! Reading a root file, what it includes, and variants.

use std::collections::BTreeSet;
use std::sync::Arc;

use rayon::prelude::*;
use smol_str::SmolStr;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

#[cfg(feature = "csv")]
use super::csv_cables;
use super::fault::{FaultKind, Faults};
use super::files::{FileError, Files, MOST_BYTES};
use super::fits::Many;
use super::keys::{Level, only_keys};
use super::range::glob_matches;
#[cfg(feature = "schema")]
use super::read::Read;
use super::read::{Cx, Node};
use super::runs::Run;
use super::statements::Document;
use crate::diagnostic::{At, FileId, Severity, Source, Sources, Span};
use crate::id::FromIndex as _;
use crate::progress::Progress;

/// The tables that are no lists of statements.
const SINGLE: &[&str] = &["fabric", "severities", "cabling"];

/// The tables that a file may have at its top.
pub(crate) fn tables() -> impl Iterator<Item = &'static str> {
    SINGLE.iter().chain(Document::TABLES).copied()
}

impl Document {
    /// Adds what another file says.
    fn absorb(&mut self, mut other: Self, layer: usize, faults: &mut Faults) {
        self.take_name(other.name.take(), layer, faults);
        self.extend(other);
    }

    fn take_name(&mut self, name: Option<At<SmolStr>>, layer: usize, faults: &mut Faults) {
        match (&self.name, name) {
            (Some(first), Some(name)) if layer == 0 => {
                faults
                    .add(
                        FaultKind::NameTwice,
                        name.span,
                        format!("the fabric has two names, {:?} and {:?}", first.value, name.value),
                        "named again",
                        "keep one of them",
                    )
                    .related(first.span, "named first");
            }
            (_, Some(name)) => self.name = Some(name),
            (_, None) => {}
        }
    }
}

/// Which layer is read, and how much of it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Layer {
    /// Its place: 0 for the fabric itself, counting up for variants.
    pub(crate) place: usize,
    /// The most bytes of one file.
    pub(crate) bytes: u64,
    /// The most files of all layers.
    pub(crate) files: usize,
}

/// Reads `root` and its includes into `document`.
///
/// The files that one file includes come after it, in order, before those that they include. Files are
/// read side by side and their texts given back one by one; what comes of them is put together in order.
pub(crate) fn load(
    files: &dyn Files,
    root: &str,
    layer: Layer,
    document: &mut Document,
    sources: &mut Sources,
    faults: &mut Faults,
    progress: &Progress,
) {
    let mut seen = BTreeSet::new();
    let root = Asked { path: root.to_owned(), kind: Include::Statements, at: None, within: None };
    let mut level = vec![root];
    while !level.is_empty() {
        level.retain(|asked| {
            if asked.kind == Include::Cables {
                return true;
            }
            if let (Some(at), true) = (asked.at, asked.is_within_itself()) {
                faults.add(
                    FaultKind::IncludeCycle,
                    at,
                    format!("{} includes itself", files.display(&asked.path)),
                    "expected a file that is not being read already",
                    "take it out of the include",
                );
                return false;
            }
            seen.insert(asked.path.clone())
        });
        let first = sources.count();
        // What nothing includes is the root of its layer, and is read in any case.
        let room = layer.files.saturating_sub(first);
        if let Some((beyond, at)) =
            level.iter().enumerate().skip(room).find_map(|(place, asked)| Some((place, asked.at?)))
        {
            faults.add(
                FaultKind::TooLarge,
                at,
                format!("more than {} files are included", layer.files),
                format!("expected {} files at most", layer.files),
                "include fewer files, or allow more",
            );
            level.truncate(beyond);
        }
        progress.more(level.len());
        let parts: Vec<Part> = level
            .par_iter()
            .enumerate()
            .with_max_len(1)
            .map(|(index, asked)| {
                let part = Part::read(files, asked, layer, FileId::from_index(first + index));
                progress.advance(1);
                part
            })
            .collect();
        let mut next = Vec::new();
        for (part, asked) in parts.into_iter().zip(level) {
            sources.push(part.source);
            faults.absorb(part.faults);
            document.absorb(part.document, layer.place, faults);
            if part.includes.is_empty() {
                continue;
            }
            let within = Arc::new(Within { path: asked.path, further: asked.within });
            for (kind, include) in part.includes {
                let paths = resolve(files, &within.path, &include, faults);
                next.extend(paths.into_iter().map(|path| Asked {
                    path,
                    kind,
                    at: Some(include.span),
                    within: Some(Arc::clone(&within)),
                }));
            }
        }
        level = next;
    }
}

/// A file that is to be read.
struct Asked {
    path: String,
    kind: Include,
    /// The place that asked for it; none of the root file.
    at: Option<Span>,
    within: Option<Arc<Within>>,
}

/// The files through which one is included, the nearest first.
struct Within {
    path: String,
    further: Option<Arc<Self>>,
}

impl Asked {
    fn is_within_itself(&self) -> bool {
        let chain = std::iter::successors(self.within.as_deref(), |one| one.further.as_deref());
        chain.into_iter().any(|one| one.path == self.path)
    }
}

/// What one file says.
struct Part {
    source: Source,
    document: Document,
    faults: Faults,
    includes: Vec<(Include, At<SmolStr>)>,
}

impl Part {
    fn read(files: &dyn Files, asked: &Asked, layer: Layer, file: FileId) -> Self {
        let shown = files.display(&asked.path);
        let mut faults = Faults::default();
        let Some(text) = text(files, asked, layer.bytes, &shown, file, &mut faults) else {
            let (document, includes) = (Document::default(), Vec::new());
            return Self { source: Source::new(&shown, "", None), document, faults, includes };
        };
        let mut document = Document::default();
        let mut includes = Vec::new();
        let mut cx = Cx { file, text: &text, faults: &mut faults };
        match asked.kind {
            Include::Statements => {
                let whole =
                    Whole { shown: &shown, layer: layer.place, is_root: asked.at.is_none() };
                statements_of(&mut cx, whole, &mut document, &mut includes);
            }
            #[cfg(feature = "csv")]
            Include::Cables => document.runs = csv_cables::read(&mut cx, layer.place),
            #[cfg(not(feature = "csv"))]
            Include::Cables => {
                let at = Span::whole(cx.file);
                cx.faults.add(
                    FaultKind::Unreadable,
                    at,
                    format!("{shown} is a cable list, which this build does not read"),
                    "expected a build with the feature `csv`",
                    "write the cables as `runs`, or build Felting with the feature `csv`",
                );
            }
        }
        let source = Source::new(&shown, &text, files.on_disk(&asked.path));
        Self { source, document, faults, includes }
    }
}

/// The text of a file, or a fault at the place that asked for it.
fn text(
    files: &dyn Files,
    asked: &Asked,
    most: u64,
    shown: &str,
    file: FileId,
    faults: &mut Faults,
) -> Option<String> {
    let mut failed = |kind, message: String, expected: &str, remedy: String| {
        // Without a place that asked, the file itself is the place.
        let at = asked.at.unwrap_or_else(|| Span::whole(file));
        faults.add(kind, at, message, expected, remedy);
        None
    };
    let read = files.read(&asked.path).and_then(|bytes| match bytes.len() as u64 {
        length if length > most => Err(FileError::TooLarge(length)),
        _ => Ok(bytes),
    });
    let bytes = match read {
        Ok(bytes) => bytes,
        Err(FileError::Folder) => {
            return failed(
                FaultKind::Folder,
                format!("{shown} is a folder"),
                "expected a fabric file",
                format!("name the file in it, such as {}/fabric.toml", shown.trim_end_matches('/')),
            );
        }
        Err(FileError::Outside) => {
            return failed(
                FaultKind::IncludeOutside,
                format!("{shown} leads out of the root file's folder"),
                "expected a file inside the folder",
                "move the file into the folder".to_owned(),
            );
        }
        Err(FileError::TooLarge(bytes)) => {
            return failed(
                FaultKind::TooLarge,
                format!("{shown} has {bytes} bytes, more than a file may have"),
                &match most {
                    MOST_BYTES => "expected a file of 64 MiB at most".to_owned(),
                    fewer => format!("expected a file of {fewer} bytes at most"),
                },
                "split it, for example a file a pod, and include the parts".to_owned(),
            );
        }
        Err(error) => {
            return failed(
                FaultKind::Unreadable,
                format!("{shown} cannot be read: {error}"),
                "expected a file that can be read",
                "check the name and the permissions".to_owned(),
            );
        }
    };
    String::from_utf8(bytes).map_or_else(
        |error| {
            let byte = error.utf8_error().valid_up_to();
            let line = error.as_bytes()[..byte].split(|&b| b == b'\n').count();
            failed(
                FaultKind::NotUtf8,
                format!(
                    "{shown} is not UTF-8: byte {} (line {line}) is none of its characters",
                    byte + 1
                ),
                "expected UTF-8 text",
                "save the file as UTF-8".to_owned(),
            )
        },
        Some,
    )
}

/// A file that is being read.
#[derive(Clone, Copy)]
struct Whole<'a> {
    shown: &'a str,
    layer: usize,
    /// Whether nothing includes it.
    is_root: bool,
}

/// Reads a fabric file.
fn statements_of(
    cx: &mut Cx<'_>,
    whole: Whole<'_>,
    document: &mut Document,
    includes: &mut Vec<(Include, At<SmolStr>)>,
) {
    let (root, errors) = DeTable::parse_recoverable(cx.text);
    for error in &errors {
        let at = cx.span(error.span().unwrap_or(0..0));
        cx.faults.add(
            FaultKind::Syntax,
            at,
            format!("not TOML: {}", error.message().lines().next().unwrap_or_default()),
            "cannot be read here",
            "mend the line; the rest of the file was read as far as it could be",
        );
    }
    if root.get_ref().is_empty() && errors.is_empty() {
        cx.faults.add(
            FaultKind::Empty,
            Span::whole(cx.file),
            format!("{} is empty", whole.shown),
            "expected at least one statement",
            "write a [fabric] table, or take the file out",
        );
    }
    // Below a broken header the keys of a table seem to be the file's own.
    if errors.is_empty() {
        only_keys(cx, root.get_ref(), "a fabric file", &tables().collect::<Vec<_>>());
    }
    *includes = statements(cx, root.into_inner(), whole, document);
}

/// The paths that an include names, in byte order.
fn resolve(
    files: &dyn Files,
    from: &str,
    include: &At<SmolStr>,
    faults: &mut Faults,
) -> Vec<String> {
    let mut parts: Vec<&str> = from.split('/').collect();
    parts.pop();
    let mut inside = !include.starts_with('/') && !include.contains('\\');
    for part in include.split('/') {
        match part {
            "" | "." => {}
            ".." => inside &= parts.pop().is_some(),
            part => parts.push(part),
        }
    }
    if !inside || parts.is_empty() {
        faults.add(
            FaultKind::IncludeOutside,
            include.span,
            format!("the include {:?} leads out of the root file's folder", include.value),
            "expected a path inside the folder, with / between its parts",
            "move the file into the folder and name it relative to this file",
        );
        return Vec::new();
    }
    if !include.contains('*') {
        return vec![parts.join("/")];
    }
    let fixed: Vec<&str> = parts.iter().take_while(|part| !part.contains('*')).copied().collect();
    // A folder that is not there matches nothing, which is what is said below.
    let mut found = files.list(&fixed.join("/")).unwrap_or_default();
    // As in shells, what begins with a dot is matched by what does: editors keep their own there.
    let matches = |(name, glob): (&&str, &&str)| {
        glob_matches(glob, name) && (!name.starts_with('.') || glob.starts_with('.'))
    };
    let fixed = fixed.join("/");
    for link in files.leaving(&fixed) {
        let link_parts: Vec<&str> = link.split('/').collect();
        if link_parts.len() < parts.len() && link_parts.iter().zip(&parts).all(matches) {
            faults.add(
                FaultKind::IncludeOutside,
                include.span,
                format!("{} leads out of the root file's folder", files.display(&link)),
                format!("the include {:?} passes it", include.value),
                "move what is behind the link into the folder, or name the files without passing it",
            );
        }
    }
    found.retain(|path| {
        let names: Vec<&str> = path.split('/').collect();
        // A pattern does not mean the file that it stands in.
        names.len() == parts.len() && names.iter().zip(&parts).all(matches) && path != from
    });
    found.sort();
    if found.is_empty() {
        faults.add(
            FaultKind::MatchesNothing,
            include.span,
            format!("the include {:?} matches no file", include.value),
            "expected a pattern that matches a file",
            "check the folder and the ending, or take the include out",
        );
    }
    found
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Include {
    Statements,
    Cables,
}

/// Reads all tables of one file and tells what it includes. Each table is given back as soon as it
/// has been read: the statements then take its memory while it is still in the cache.
fn statements(
    cx: &mut Cx<'_>,
    root: DeTable<'_>,
    whole: Whole<'_>,
    document: &mut Document,
) -> Vec<(Include, At<SmolStr>)> {
    let mut includes = Vec::new();
    for (key, node) in root {
        match key.get_ref().as_ref() {
            "fabric" => fabric_table(cx, &node, document, &mut includes),
            "cabling" => cabling_table(cx, &node, whole.layer, document, &mut includes),
            "severities" => severities_table(cx, &node, whole, document),
            table => document.read(cx, table, node, whole.layer),
        }
    }
    includes
}

fn table<'n, 'i>(
    cx: &mut Cx<'_>,
    key: &str,
    node: &'n Spanned<DeValue<'i>>,
) -> Option<&'n DeTable<'i>> {
    let table = node.get_ref().as_table();
    if table.is_none() {
        cx.wrong_type(key, node, &format!("one table, written [{key}]"));
    }
    table
}

fn fabric_table(
    cx: &mut Cx<'_>,
    node: &Node<'_>,
    document: &mut Document,
    includes: &mut Vec<(Include, At<SmolStr>)>,
) {
    let Some(fields) = table(cx, "fabric", node) else { return };
    for (key, node) in fields {
        match key.get_ref().as_ref() {
            "name" => {
                document.name = cx.value("name", node);
            }
            "include" => {
                let paths = cx.value::<Many<SmolStr>>("include", node);
                let paths = paths.map(|paths| paths.value.0).unwrap_or_default();
                includes.extend(paths.into_iter().map(|path| (Include::Statements, path)));
            }
            _ => {}
        }
    }
    only_keys(cx, fields, "[fabric]", &["name", "include"]);
}

fn cabling_table(
    cx: &mut Cx<'_>,
    node: &Node<'_>,
    layer: usize,
    document: &mut Document,
    includes: &mut Vec<(Include, At<SmolStr>)>,
) {
    let Some(fields) = table(cx, "cabling", node) else { return };
    for (key, node) in fields {
        match key.get_ref().as_ref() {
            "runs" => match node.get_ref().as_array() {
                Some(runs) => {
                    document.runs.extend(runs.iter().filter_map(|run| Run::read(cx, run, layer)));
                }
                None => document.runs.extend(Run::read(cx, node, layer)),
            },
            "csv" => {
                let paths = cx.value::<Many<SmolStr>>("csv", node);
                let paths = paths.map(|paths| paths.value.0).unwrap_or_default();
                includes.extend(paths.into_iter().map(|path| (Include::Cables, path)));
            }
            _ => {}
        }
    }
    only_keys(cx, fields, "[cabling]", &["runs", "csv"]);
}

fn severities_table(cx: &mut Cx<'_>, node: &Node<'_>, whole: Whole<'_>, document: &mut Document) {
    let Some(fields) = table(cx, "severities", node) else { return };
    for (key, node) in fields {
        let rule = key.get_ref().as_ref();
        let at = cx.span(key.span());
        let Some(text) =
            cx.text(rule, node, || "\"error\", \"warning\", \"hint\" or \"off\"".to_owned())
        else {
            continue;
        };
        let severity = match text {
            "off" => None,
            _ => {
                if let Some(severity) =
                    Severity::ALL.iter().find(|severity| severity.word() == text)
                {
                    Some(*severity)
                } else {
                    let place = cx.place(node);
                    cx.bad_value(rule, place, text, "\"error\", \"warning\", \"hint\" or \"off\"");
                    continue;
                }
            }
        };
        let rule = At::new(SmolStr::new(rule), at);
        let (layer, is_of_root) = (whole.layer, whole.is_root);
        document.severities.push(Level { rule, severity, layer, is_of_root });
    }
}

/// The schema of a path or a list of paths.
#[cfg(feature = "schema")]
pub(crate) fn paths_schema() -> serde_json::Value {
    Many::<SmolStr>::schema()
}
