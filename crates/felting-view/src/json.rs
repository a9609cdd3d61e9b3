//! Findings for programs. The shape is documented in `docs/findings.md` and has a version.

use felting::Fabric;
use felting::diagnostic::{Beyond, Finding, Label, Severity, Span};
use felting::progress::{Progress, Stage};
use serde::Serialize;

use crate::{Checked, Gone, json_text};

/// Counts up when a field changes its meaning or goes away; new fields don't change it.
const VERSION: u32 = 1;

/// What was found in several fabrics.
#[derive(Serialize)]
struct Pages<'a> {
    version: u32,
    fabrics: Vec<Page<'a>>,
}

#[derive(Serialize)]
struct Page<'a> {
    version: u32,
    fabric: &'a str,
    file: &'a str,
    /// What is down or moved.
    #[serde(skip_serializing_if = "<[String]>::is_empty")]
    down: &'a [String],
    complete: bool,
    counts: Counts,
    faults: Vec<FaultRow<'a>>,
    findings: Vec<FindingRow<'a>>,
    accepted: Vec<AcceptedRow<'a>>,
    /// What there is more of than is told.
    #[serde(skip_serializing_if = "<[Beyond]>::is_empty")]
    beyond: &'a [Beyond],
    /// The rules that the files switch off.
    rules_off: &'a [&'static str],
    /// What has changed since the baseline.
    #[serde(skip_serializing_if = "Option::is_none")]
    since: Option<SinceRow<'a>>,
}

#[derive(Serialize)]
struct SinceRow<'a> {
    new: usize,
    as_before: usize,
    gone: &'a [Gone],
}

#[derive(Serialize)]
struct Counts {
    faults: usize,
    error: usize,
    warning: usize,
    hint: usize,
    accepted: usize,
    /// Found, and not asked for.
    left_out: usize,
    /// What may follow from the input faults, and is not told.
    held_back: usize,
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
    /// What it says, in the words of the library.
    #[serde(flatten)]
    says: &'a Finding,
    at: Place<'a>,
    related: Vec<Place<'a>>,
    /// Whether the baseline lacks it.
    #[serde(skip_serializing_if = "Option::is_none")]
    new: Option<bool>,
}

#[derive(Serialize)]
struct AcceptedRow<'a> {
    reason: &'a str,
    until: Option<String>,
    finding: FindingRow<'a>,
}

/// All that was found, as JSON: an object for a fabric, one with a list of such for several.
pub fn findings_json(all: &[Checked<'_>], progress: &Progress) -> String {
    let mut pages: Vec<Page<'_>> = all.iter().map(|one| page(one, progress)).collect();
    let text = match pages.len() {
        1 => json_text::pretty(&pages.remove(0)),
        _ => json_text::pretty(&Pages { version: VERSION, fabrics: pages }),
    };
    text + "\n"
}

fn page<'a>(checked: &Checked<'a>, progress: &Progress) -> Page<'a> {
    let Checked { fabric, report, down, left_out, since, .. } = *checked;
    let faults = fabric.faults().iter().map(|fault| FaultRow {
        kind: fault.kind.id(),
        message: &fault.what.message,
        at: place(fabric, fault.at(), &fault.what.primary.text),
        related: fault.what.related.iter().map(|one| place(fabric, one.span, &one.text)).collect(),
        remedy: &fault.what.remedy,
    });
    let new = |finding: &Finding| since.map(|since| since.is_new(finding));
    Page {
        version: VERSION,
        fabric: fabric.name(),
        file: checked.file(),
        down,
        complete: fabric.is_complete(),
        counts: Counts {
            faults: fabric.faults().len(),
            error: report.count(Severity::Error),
            warning: report.count(Severity::Warning),
            hint: report.count(Severity::Hint),
            accepted: report.total_accepted(),
            left_out,
            held_back: report.held_back,
        },
        faults: faults.collect(),
        findings: progress
            .each(Stage::Writing, report.findings.iter())
            .map(|finding| finding_row(fabric, finding, new(finding)))
            .collect(),
        accepted: report
            .accepted
            .iter()
            .map(|accepted| AcceptedRow {
                reason: &accepted.reason,
                until: accepted.until.map(|until| until.to_string()),
                finding: finding_row(fabric, &accepted.finding, None),
            })
            .collect(),
        beyond: &report.beyond,
        rules_off: &report.rules_off,
        since: since.map(|since| SinceRow {
            new: report.findings.len() - since.as_before(report),
            as_before: since.as_before(report),
            gone: &since.gone,
        }),
    }
}

fn finding_row<'a>(fabric: &'a Fabric, finding: &'a Finding, new: Option<bool>) -> FindingRow<'a> {
    let label = |label: &'a Label| place(fabric, label.span, &label.text);
    FindingRow {
        says: finding,
        at: label(&finding.what.primary),
        related: finding.what.related.iter().map(label).collect(),
        new,
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
