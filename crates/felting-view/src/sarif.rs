//! Findings as SARIF 2.1.0 (OASIS), the open format for what analyses find: code hosts show them in place.

use std::collections::BTreeMap;

use felting::Fabric;
use felting::diagnostic::{Finding, Hits, Label, Risk, Severity, Span};
use felting::progress::{Progress, Stage};
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
use serde::Serialize;

use crate::{Checked, Since, json_text};

const SCHEMA: &str =
    "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json";

#[derive(Serialize)]
struct Log<'a> {
    #[serde(rename = "$schema")]
    schema: &'static str,
    version: &'static str,
    runs: Vec<Run<'a>>,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Run<'a> {
    tool: Tool,
    invocations: [Invocation<'a>; 1],
    /// Columns are counted in characters (SARIF section 3.14.17).
    column_kind: &'static str,
    results: Vec<ResultRow<'a>>,
}

/// What is to be said of the run itself (SARIF section 3.58): here of results that it doesn't have.
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Notification<'a> {
    level: &'static str,
    message: Message,
    associated_rule: Descriptor<'a>,
}

#[derive(Serialize)]
struct Tool {
    driver: Driver,
}

#[derive(Serialize)]
struct Driver {
    name: &'static str,
    version: &'static str,
    rules: Vec<RuleRow>,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct RuleRow {
    id: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    short_description: Option<Message>,
    #[serde(skip_serializing_if = "Option::is_none")]
    full_description: Option<Message>,
    default_configuration: Configuration,
}

#[derive(Serialize)]
struct Configuration {
    level: &'static str,
}

#[derive(Serialize)]
struct Message {
    text: String,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Invocation<'a> {
    execution_successful: bool,
    /// The rules that the files switch off.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    rule_configuration_overrides: Vec<Override<'a>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    tool_execution_notifications: Vec<Notification<'a>>,
}

#[derive(Serialize)]
struct Override<'a> {
    configuration: Enabled,
    descriptor: Descriptor<'a>,
}

#[derive(Serialize)]
struct Enabled {
    enabled: bool,
}

#[derive(Serialize)]
struct Descriptor<'a> {
    id: &'a str,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct ResultRow<'a> {
    rule_id: &'static str,
    rule_index: usize,
    level: &'static str,
    message: Message,
    locations: Vec<Location<'a>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    related_locations: Vec<Location<'a>>,
    /// What a finding is known by from one run to the next, though lines move.
    partial_fingerprints: BTreeMap<&'static str, String>,
    /// Whether an earlier run had it (SARIF section 3.27.24).
    #[serde(skip_serializing_if = "Option::is_none")]
    baseline_state: Option<&'static str>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    suppressions: Vec<Suppression<'a>>,
    /// Whom it hits (SARIF section 3.8).
    #[serde(skip_serializing_if = "Option::is_none")]
    properties: Option<Properties<'a>>,
}

#[derive(Serialize)]
struct Properties<'a> {
    hits: Hits,
    #[serde(skip_serializing_if = "Option::is_none")]
    risk: Option<&'a Risk>,
}

#[derive(Serialize)]
struct Suppression<'a> {
    kind: &'static str,
    status: &'static str,
    justification: &'a str,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Location<'a> {
    #[serde(skip_serializing_if = "Option::is_none")]
    id: Option<usize>,
    #[serde(rename = "physicalLocation")]
    physical: PhysicalLocation<'a>,
    #[serde(skip_serializing_if = "Option::is_none")]
    message: Option<Message>,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct PhysicalLocation<'a> {
    artifact_location: ArtifactLocation,
    region: Region<'a>,
}

#[derive(Serialize)]
struct ArtifactLocation {
    uri: String,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Region<'a> {
    start_line: usize,
    start_column: usize,
    end_line: usize,
    end_column: usize,
    #[serde(skip_serializing_if = "Option::is_none")]
    snippet: Option<Snippet<'a>>,
}

#[derive(Serialize)]
struct Snippet<'a> {
    text: &'a str,
}

/// All that was found, as SARIF, a run for each fabric. Faults of the input are errors; what is accepted is there as
/// suppressed.
pub fn findings_sarif(all: &[Checked<'_>], progress: &Progress) -> String {
    let runs = all.iter().map(|one| run(one, progress)).collect();
    let log = Log { schema: SCHEMA, version: "2.1.0", runs };
    let mut text = json_text::pretty(&log);
    text.push('\n');
    text
}

fn run<'a>(checked: &Checked<'a>, progress: &Progress) -> Run<'a> {
    let Checked { fabric, report, since, .. } = *checked;
    let mut rules = Rules::default();
    let mut results: Vec<ResultRow<'_>> = Vec::new();
    for fault in fabric.faults() {
        let rule_index = rules.fault(fault.kind.id());
        results.push(ResultRow {
            rule_id: fault.kind.id(),
            rule_index,
            level: "error",
            message: Message {
                text: format!("{}. Remedy: {}.", fault.what.message, fault.what.remedy),
            },
            locations: vec![location(fabric, fault.at(), None, &fault.what.primary.text)],
            related_locations: fault
                .what
                .related
                .iter()
                .enumerate()
                .map(|(id, one)| location(fabric, one.span, Some(id), &one.text))
                .collect(),
            partial_fingerprints: fingerprint(fault.kind.id(), &fault.what.message),
            baseline_state: None,
            suppressions: Vec::new(),
            properties: None,
        });
    }
    for finding in progress.each(Stage::Writing, report.findings.iter()) {
        let mut row = result(fabric, finding, &mut rules, Vec::new());
        let state = |since: &Since| if since.is_new(finding) { "new" } else { "unchanged" };
        row.baseline_state = since.map(state);
        results.push(row);
    }
    for accepted in &report.accepted {
        let justification = accepted.reason.as_str();
        let suppression = Suppression { kind: "inSource", status: "accepted", justification };
        results.push(result(fabric, &accepted.finding, &mut rules, vec![suppression]));
    }
    let driver = Driver { name: "felting", version: env!("CARGO_PKG_VERSION"), rules: rules.rows };
    let off = report.rules_off.iter().map(|id| Override {
        configuration: Enabled { enabled: false },
        descriptor: Descriptor { id },
    });
    let beyond = report.beyond.iter().map(|beyond| Notification {
        level: "warning",
        message: Message { text: crate::findings::beyond(beyond) },
        associated_rule: Descriptor { id: beyond.rule },
    });
    Run {
        tool: Tool { driver },
        invocations: [Invocation {
            execution_successful: fabric.is_complete(),
            rule_configuration_overrides: off.collect(),
            tool_execution_notifications: beyond.collect(),
        }],
        column_kind: "unicodeCodePoints",
        results,
    }
}

/// The rules that something was found by, each once.
#[derive(Default)]
struct Rules {
    rows: Vec<RuleRow>,
    places: BTreeMap<&'static str, usize>,
}

impl Rules {
    fn add(&mut self, id: &'static str, row: impl FnOnce() -> RuleRow) -> usize {
        *self.places.entry(id).or_insert_with(|| {
            self.rows.push(row());
            self.rows.len() - 1
        })
    }

    fn fault(&mut self, id: &'static str) -> usize {
        self.add(id, || RuleRow {
            id,
            short_description: None,
            full_description: None,
            default_configuration: Configuration { level: "error" },
        })
    }

    fn finding(&mut self, finding: &Finding) -> usize {
        let rule = finding.rule;
        self.add(rule.id, || RuleRow {
            id: rule.id,
            short_description: Some(Message { text: rule.summary.to_owned() }),
            full_description: Some(Message {
                text: format!("{} Sources: {}.", rule.explain, rule.sources.join("; ")),
            }),
            default_configuration: Configuration { level: level(rule.severity) },
        })
    }
}

const fn level(severity: Severity) -> &'static str {
    match severity {
        Severity::Error => "error",
        Severity::Warning => "warning",
        Severity::Hint => "note",
    }
}

fn result<'a>(
    fabric: &'a Fabric,
    finding: &'a Finding,
    rules: &mut Rules,
    suppressions: Vec<Suppression<'a>>,
) -> ResultRow<'a> {
    let rule_index = rules.finding(finding);
    let text = format!(
        "{}. On the wire: {}. Remedy: {}.",
        finding.what.message, finding.wire, finding.what.remedy
    );
    let of = |label: &'a Label, id: Option<usize>| location(fabric, label.span, id, &label.text);
    ResultRow {
        rule_id: finding.rule.id,
        rule_index,
        level: level(finding.severity),
        message: Message { text },
        locations: vec![of(&finding.what.primary, None)],
        related_locations: finding
            .what
            .related
            .iter()
            .enumerate()
            .map(|(id, label)| of(label, Some(id)))
            .collect(),
        partial_fingerprints: BTreeMap::from([("findingKey/v1", finding.key.to_string())]),
        baseline_state: None,
        suppressions,
        properties: (!finding.hits.is_empty() || finding.risk.is_some())
            .then_some(Properties { hits: finding.hits, risk: finding.risk.as_ref() }),
    }
}

fn fingerprint(rule: &str, message: &str) -> BTreeMap<&'static str, String> {
    BTreeMap::from([("ruleAndMessage/v1", format!("{rule}: {message}"))])
}

/// What stays as it is in the path of a URI (RFC 3986 section 3.3).
const IN_PATH: &AsciiSet =
    &NON_ALPHANUMERIC.remove(b'/').remove(b'-').remove(b'.').remove(b'_').remove(b'~');

/// A path as a URI reference: relative as it is, absolute as a `file` URI (RFC 8089).
fn uri(path: &str) -> String {
    let path = utf8_percent_encode(path, IN_PATH).to_string();
    if path.starts_with('/') { format!("file://{path}") } else { path }
}

fn location<'a>(fabric: &'a Fabric, span: Span, id: Option<usize>, message: &str) -> Location<'a> {
    let sources = fabric.sources();
    let (start, end) = (sources.location(span), sources.location_end(span));
    let snippet = Some(Snippet { text: sources.text(span) })
        .filter(|snippet| (1..=crate::findings::MOST_SHOWN).contains(&snippet.text.len()));
    Location {
        id,
        physical: PhysicalLocation {
            artifact_location: ArtifactLocation { uri: uri(start.file) },
            region: Region {
                start_line: start.line,
                start_column: start.column,
                end_line: end.line,
                end_column: end.column,
                snippet,
            },
        },
        message: (!message.is_empty()).then(|| Message { text: message.to_owned() }),
    }
}
