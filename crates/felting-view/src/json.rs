//! Findings for programs. The shape is documented in `docs/findings.md` and has a version.

use felting::Fabric;
use felting::diagnostic::{Finding, Label, Report, Severity, Span};
use felting::progress::{Progress, Stage};
use serde::Serialize;

/// Counts up when a field changes its meaning or goes away; new fields don't change it.
const VERSION: u32 = 1;

#[derive(Serialize)]
struct Page<'a> {
    version: u32,
    fabric: &'a str,
    complete: bool,
    counts: Counts,
    faults: Vec<FaultRow<'a>>,
    findings: Vec<FindingRow<'a>>,
    accepted: Vec<AcceptedRow<'a>>,
}

#[derive(Serialize)]
struct Counts {
    faults: usize,
    error: usize,
    warning: usize,
    hint: usize,
    accepted: usize,
}

#[derive(Serialize)]
struct Place<'a> {
    file: &'a str,
    line: usize,
    column: usize,
    end_line: usize,
    end_column: usize,
    text: &'a str,
}

#[derive(Serialize)]
struct FaultRow<'a> {
    kind: &'static str,
    message: &'a str,
    at: Place<'a>,
    related: Vec<Place<'a>>,
    remedy: &'a str,
}

#[derive(Serialize)]
struct FindingRow<'a> {
    rule: &'static str,
    severity: &'static str,
    message: &'a str,
    at: Place<'a>,
    related: Vec<Place<'a>>,
    on_the_wire: &'a str,
    remedy: &'a str,
    about: Vec<&'a str>,
}

#[derive(Serialize)]
struct AcceptedRow<'a> {
    reason: &'a str,
    until: Option<String>,
    finding: FindingRow<'a>,
}

/// All that was found, as JSON.
pub fn findings_json(fabric: &Fabric, report: &Report, progress: &Progress) -> String {
    let faults = fabric.faults().iter().map(|fault| FaultRow {
        kind: fault.kind.id(),
        message: &fault.what.message,
        at: place(fabric, fault.at(), &fault.what.primary.text),
        related: fault.what.related.iter().map(|one| place(fabric, one.span, &one.text)).collect(),
        remedy: &fault.what.remedy,
    });
    let page = Page {
        version: VERSION,
        fabric: fabric.name(),
        complete: fabric.is_complete(),
        counts: Counts {
            faults: fabric.faults().len(),
            error: report.count(Severity::Error),
            warning: report.count(Severity::Warning),
            hint: report.count(Severity::Hint),
            accepted: report.accepted.len(),
        },
        faults: faults.collect(),
        findings: progress
            .each(Stage::Writing, report.findings.iter())
            .map(|finding| finding_row(fabric, finding))
            .collect(),
        accepted: report
            .accepted
            .iter()
            .map(|accepted| AcceptedRow {
                reason: &accepted.reason,
                until: accepted.until.map(|until| until.to_string()),
                finding: finding_row(fabric, &accepted.finding),
            })
            .collect(),
    };
    let mut text =
        serde_json::to_string_pretty(&page).expect("strings and numbers always serialise");
    text.push('\n');
    text
}

fn finding_row<'a>(fabric: &'a Fabric, finding: &'a Finding) -> FindingRow<'a> {
    let label = |label: &'a Label| place(fabric, label.span, &label.text);
    FindingRow {
        rule: finding.rule.id,
        severity: finding.severity.word(),
        message: &finding.what.message,
        at: label(&finding.what.primary),
        related: finding.what.related.iter().map(label).collect(),
        on_the_wire: &finding.wire,
        remedy: &finding.what.remedy,
        about: finding.about.iter().map(AsRef::as_ref).collect(),
    }
}

fn place<'a>(fabric: &'a Fabric, span: Span, text: &'a str) -> Place<'a> {
    let (start, end) = (fabric.sources().location(span), fabric.sources().location_end(span));
    Place {
        file: start.file,
        line: start.line,
        column: start.column,
        end_line: end.line,
        end_column: end.column,
        text,
    }
}
