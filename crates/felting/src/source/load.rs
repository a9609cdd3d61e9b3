//! Reading a root file, what it includes, and overlay documents.

use std::collections::BTreeSet;
use std::sync::Arc;

use smol_str::SmolStr;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::csv_cables;
use super::fault::{FaultKind, Faults, nearest};
use super::files::{FileError, Files};
use super::keys::{Keys, Statement, only_keys, read_statement};
use super::range::glob_matches;
use super::read::{Cx, Many, Node, Read};
use super::span::{At, FileId, Sources, Span};
use super::statements::{
    AcceptKeys, EndpointKeys, EviKeys, ExpectKeys, HardwareKeys, HostKeys, InterfaceKeys, LagKeys,
    LeakKeys, ManagementKeys, OutsideKeys, OverlayKeys, PairKeys, PolicyKeys, PoolKeys, PortKeys,
    RepeaterKeys, RouteKeys, RouterKeys, Run, ScopeKeys, SegmentKeys, SessionKeys, SiteKeys,
    StackKeys, SwitchKeys, TreeKeys, UnderlayKeys, VrfKeys, WanKeys,
};
use crate::rules::Severity;

/// The tables that a file may have at its top.
pub(crate) const TABLES: &[&str] = &[
    "fabric",
    "severities",
    "hardware",
    "switch",
    "cabling",
    "stack",
    "repeater",
    "management",
    "port",
    "lag",
    "pair",
    "tree",
    "pool",
    "router",
    "underlay",
    "interface",
    "route",
    "policy",
    "session",
    "overlay",
    "site",
    "wan",
    "vrf",
    "segment",
    "evi",
    "leak",
    "outside",
    "host",
    "endpoint",
    "scope",
    "expect",
    "accept",
];

/// All statements, in the order of the files.
#[derive(Debug, Default)]
pub(crate) struct Document {
    pub(crate) name: Option<At<SmolStr>>,
    pub(crate) severities: Vec<(At<SmolStr>, Option<Severity>)>,
    pub(crate) hardware: Vec<Statement<HardwareKeys>>,
    pub(crate) switches: Vec<Statement<SwitchKeys>>,
    pub(crate) stacks: Vec<Statement<StackKeys>>,
    pub(crate) repeaters: Vec<Statement<RepeaterKeys>>,
    pub(crate) management: Vec<Statement<ManagementKeys>>,
    pub(crate) trees: Vec<Statement<TreeKeys>>,
    pub(crate) runs: Vec<Run>,
    pub(crate) ports: Vec<Statement<PortKeys>>,
    pub(crate) lags: Vec<Statement<LagKeys>>,
    pub(crate) pairs: Vec<Statement<PairKeys>>,
    pub(crate) pools: Vec<Statement<PoolKeys>>,
    pub(crate) routers: Vec<Statement<RouterKeys>>,
    pub(crate) underlays: Vec<Statement<UnderlayKeys>>,
    pub(crate) interfaces: Vec<Statement<InterfaceKeys>>,
    pub(crate) routes: Vec<Statement<RouteKeys>>,
    pub(crate) policies: Vec<Statement<PolicyKeys>>,
    pub(crate) sessions: Vec<Statement<SessionKeys>>,
    pub(crate) overlays: Vec<Statement<OverlayKeys>>,
    pub(crate) evis: Vec<Statement<EviKeys>>,
    pub(crate) leaks: Vec<Statement<LeakKeys>>,
    pub(crate) outsides: Vec<Statement<OutsideKeys>>,
    pub(crate) sites: Vec<Statement<SiteKeys>>,
    pub(crate) wans: Vec<Statement<WanKeys>>,
    pub(crate) endpoints: Vec<Statement<EndpointKeys>>,
    pub(crate) scopes: Vec<Statement<ScopeKeys>>,
    pub(crate) expectations: Vec<Statement<ExpectKeys>>,
    pub(crate) vrfs: Vec<Statement<VrfKeys>>,
    pub(crate) segments: Vec<Statement<SegmentKeys>>,
    pub(crate) hosts: Vec<Statement<HostKeys>>,
    pub(crate) accepts: Vec<Statement<AcceptKeys>>,
}

/// Reads `root` and its includes into `document`, as the layer of that number.
pub(crate) fn load(
    files: &dyn Files,
    root: &str,
    layer: usize,
    document: &mut Document,
    sources: &mut Sources,
    faults: &mut Faults,
) {
    let mut loader = Loader {
        files,
        layer,
        document,
        sources,
        faults,
        seen: BTreeSet::new(),
        stack: Vec::new(),
    };
    loader.file(root, None);
}

struct Loader<'a> {
    files: &'a dyn Files,
    layer: usize,
    document: &'a mut Document,
    sources: &'a mut Sources,
    faults: &'a mut Faults,
    seen: BTreeSet<String>,
    stack: Vec<String>,
}

impl Loader<'_> {
    /// The text of a file, or a fault at the place that asked for it.
    fn text(&mut self, path: &str, asked: Option<Span>) -> Option<(FileId, Arc<str>)> {
        let shown = self.files.display(path);
        let mut failed = |kind, message: String, expected: &str, remedy: String| {
            // Without a place that asked, the file itself is the place.
            let at = asked
                .unwrap_or_else(|| Span::whole(self.sources.add(shown.clone(), Arc::from(""))));
            self.faults.add(kind, at, message, expected, remedy);
            None
        };
        let bytes = match self.files.read(path) {
            Ok(bytes) => bytes,
            Err(FileError::Folder) => {
                return failed(
                    FaultKind::Folder,
                    format!("{shown} is a folder"),
                    "expected a fabric file",
                    format!(
                        "name the file in it, such as {}/fabric.toml",
                        shown.trim_end_matches('/')
                    ),
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
            Err(error) => {
                return failed(
                    FaultKind::Unreadable,
                    format!("{shown} cannot be read: {error}"),
                    "expected a file that can be read",
                    "check the name and the permissions".to_owned(),
                );
            }
        };
        match String::from_utf8(bytes) {
            Ok(text) => {
                let text: Arc<str> = text.into();
                Some((self.sources.add(shown, Arc::clone(&text)), text))
            }
            Err(error) => {
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
            }
        }
    }

    fn file(&mut self, path: &str, asked: Option<Span>) {
        if let (Some(at), true) = (asked, self.stack.iter().any(|open| open == path)) {
            self.faults.add(
                FaultKind::IncludeCycle,
                at,
                format!("{} includes itself", self.files.display(path)),
                "expected a file that is not being read already",
                "take it out of the include",
            );
            return;
        }
        if !self.seen.insert(path.to_owned()) {
            return;
        }
        let Some((file, text)) = self.text(path, asked) else { return };
        let (root, errors) = DeTable::parse_recoverable(&text);
        let mut cx = Cx { file, text: &text, faults: self.faults };
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
                Span::whole(file),
                format!("{} is empty", self.files.display(path)),
                "expected at least one statement",
                "write a [fabric] table, or take the file out",
            );
        }
        // Below a broken header the keys of a table seem to be the file's own.
        if errors.is_empty() {
            only_keys(&mut cx, root.get_ref(), "a fabric file", TABLES);
        }
        let includes = statements(&mut cx, root.into_inner(), self.layer, self.document);
        self.stack.push(path.to_owned());
        for (kind, include) in includes {
            for path in self.resolve(path, &include) {
                match kind {
                    Include::Statements => self.file(&path, Some(include.span)),
                    Include::Cables => self.cables(&path, include.span),
                }
            }
        }
        self.stack.pop();
    }

    fn cables(&mut self, path: &str, asked: Span) {
        let Some((file, text)) = self.text(path, Some(asked)) else { return };
        let mut cx = Cx { file, text: &text, faults: self.faults };
        self.document.runs.extend(csv_cables::read(&mut cx, self.layer));
    }

    /// The paths that an include names, in byte order.
    fn resolve(&mut self, from: &str, include: &At<SmolStr>) -> Vec<String> {
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
            self.faults.add(
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
        let fixed =
            parts.iter().take_while(|part| !part.contains('*')).copied().collect::<Vec<_>>();
        // A folder that is not there matches nothing, which is what is said below.
        let mut found = self.files.list(&fixed.join("/")).unwrap_or_default();
        found.retain(|path| {
            let path: Vec<_> = path.split('/').collect();
            path.len() == parts.len()
                && path.iter().zip(&parts).all(|(p, glob)| glob_matches(glob, p))
        });
        found.sort();
        if found.is_empty() {
            self.faults.add(
                FaultKind::MatchesNothing,
                include.span,
                format!("the include {:?} matches no file", include.value),
                "expected a pattern that matches a file",
                "check the folder and the ending, or take the include out",
            );
        }
        found
    }
}

enum Include {
    Statements,
    Cables,
}

/// Reads all tables of one file and tells what it includes. Each table is given back as soon as it
/// has been read: the statements then take its memory while it is still in the cache.
fn statements(
    cx: &mut Cx<'_>,
    root: DeTable<'_>,
    layer: usize,
    document: &mut Document,
) -> Vec<(Include, At<SmolStr>)> {
    let mut includes = Vec::new();
    for (key, node) in root {
        match key.get_ref().as_ref() {
            "fabric" => fabric_table(cx, &node, layer, document, &mut includes),
            "cabling" => cabling_table(cx, &node, layer, document, &mut includes),
            "severities" => severities_table(cx, &node, document),
            "hardware" => read_all(cx, node, layer, &mut document.hardware),
            "switch" => read_all(cx, node, layer, &mut document.switches),
            "port" => read_all(cx, node, layer, &mut document.ports),
            "lag" => read_all(cx, node, layer, &mut document.lags),
            "pair" => read_all(cx, node, layer, &mut document.pairs),
            "stack" => read_all(cx, node, layer, &mut document.stacks),
            "repeater" => read_all(cx, node, layer, &mut document.repeaters),
            "management" => read_all(cx, node, layer, &mut document.management),
            "tree" => read_all(cx, node, layer, &mut document.trees),
            "pool" => read_all(cx, node, layer, &mut document.pools),
            "router" => read_all(cx, node, layer, &mut document.routers),
            "underlay" => read_all(cx, node, layer, &mut document.underlays),
            "interface" => read_all(cx, node, layer, &mut document.interfaces),
            "route" => read_all(cx, node, layer, &mut document.routes),
            "policy" => read_all(cx, node, layer, &mut document.policies),
            "session" => read_all(cx, node, layer, &mut document.sessions),
            "overlay" => read_all(cx, node, layer, &mut document.overlays),
            "evi" => read_all(cx, node, layer, &mut document.evis),
            "leak" => read_all(cx, node, layer, &mut document.leaks),
            "outside" => read_all(cx, node, layer, &mut document.outsides),
            "site" => read_all(cx, node, layer, &mut document.sites),
            "wan" => read_all(cx, node, layer, &mut document.wans),
            "endpoint" => read_all(cx, node, layer, &mut document.endpoints),
            "scope" => read_all(cx, node, layer, &mut document.scopes),
            "expect" => read_all(cx, node, layer, &mut document.expectations),
            "vrf" => read_all(cx, node, layer, &mut document.vrfs),
            "segment" => read_all(cx, node, layer, &mut document.segments),
            "host" => read_all(cx, node, layer, &mut document.hosts),
            "accept" => read_all(cx, node, layer, &mut document.accepts),
            _ => {}
        }
    }
    includes
}

fn read_all<K: Keys>(
    cx: &mut Cx<'_>,
    node: Node<'_>,
    layer: usize,
    statements: &mut Vec<Statement<K>>,
) {
    if node.get_ref().is_table() {
        statements.extend(read_statement(cx, &node, layer));
        return;
    }
    if !node.get_ref().is_array() {
        cx.wrong_type(K::TABLE, &node, &format!("tables, each written [[{}]]", K::TABLE));
        return;
    }
    let DeValue::Array(nodes) = node.into_inner() else { return };
    statements.reserve(nodes.len());
    for node in nodes {
        statements.extend(read_statement(cx, &node, layer));
    }
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
    layer: usize,
    document: &mut Document,
    includes: &mut Vec<(Include, At<SmolStr>)>,
) {
    let Some(fields) = table(cx, "fabric", node) else { return };
    for (key, node) in fields {
        match key.get_ref().as_ref() {
            "name" => {
                let Some(name) = cx.value::<SmolStr>("name", node) else { continue };
                match &document.name {
                    Some(first) if layer == 0 => {
                        let first = first.clone();
                        cx.faults
                            .add(
                                FaultKind::NameTwice,
                                name.span,
                                format!(
                                    "the fabric has two names, {:?} and {:?}",
                                    first.value, name.value
                                ),
                                "named again",
                                "keep one of them",
                            )
                            .related(first.span, "named first");
                    }
                    _ => document.name = Some(name),
                }
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

fn severities_table(cx: &mut Cx<'_>, node: &Node<'_>, document: &mut Document) {
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
        if crate::rules::find(rule).is_none() {
            let remedy = match nearest(rule, crate::rules::all().map(|rule| rule.id)) {
                Some(nearest) => format!("did you mean `{nearest}`?"),
                None => "`felting explain` lists the rules".to_owned(),
            };
            let message = format!("there is no rule `{rule}`");
            cx.faults.add(FaultKind::UnknownName, at, message, "expected a rule's id", remedy);
            continue;
        }
        document.severities.push((At::new(SmolStr::new(rule), at), severity));
    }
}

/// The schema of a path or a list of paths.
pub(crate) fn paths_schema() -> serde_json::Value {
    Many::<SmolStr>::schema()
}
