//! Findings as `JUnit` XML, which most systems that run tests can show.

use std::fmt::Write as _;

use felting::Fabric;
use felting::diagnostic::{Finding, Severity, Span};
use felting::progress::{Progress, Stage};
use felting::rules;
use quick_junit::{NonSuccessKind, TestCase, TestCaseStatus, TestSuite};

use crate::Checked;

/// All that was found, as `JUnit` XML: a suite for each family of rules, a case for each finding, and a passed
/// case for each rule that found nothing. What is below the denied severity, or accepted, is a skipped case.
///
/// Of several fabrics each has its own suites, which its name begins. Where it is asked what has changed, what is as
/// before is a skipped case.
pub fn findings_junit(
    all: &[Checked<'_>],
    denied: Option<Severity>,
    progress: &Progress,
) -> String {
    let title = match all {
        [one] => name(one.fabric),
        many => format!("{} fabrics", many.len()),
    };
    let mut page = quick_junit::Report::new(title);
    progress.begin(Stage::Writing, rules::all().count() * all.len());
    for one in all {
        let of = if all.len() > 1 { format!("{}: ", name(one.fabric)) } else { String::new() };
        page.add_test_suites(suites(one, denied, &of, progress));
    }
    page.to_string().unwrap_or_default()
}

fn suites(
    checked: &Checked<'_>,
    denied: Option<Severity>,
    of: &str,
    progress: &Progress,
) -> Vec<TestSuite> {
    let Checked { fabric, report, since, .. } = *checked;
    let mut input = TestSuite::new(format!("{of}input"));
    if fabric.is_complete() {
        input.add_test_case(TestCase::new("the fabric is read whole", TestCaseStatus::success()));
    }
    for fault in fabric.faults() {
        let mut status = TestCaseStatus::non_success(NonSuccessKind::Error);
        let text = format!(
            "{}\n{}\nremedy: {}",
            place(fabric, fault.at()),
            fault.what.message,
            fault.what.remedy
        );
        status.set_message(&fault.what.message).set_type(fault.kind.id()).set_description(text);
        input.add_test_case(case(fabric, &fault.what.message, fault.kind.id(), fault.at(), status));
    }
    let mut suites: Vec<TestSuite> = vec![input];
    for rule in rules::all() {
        progress.advance(1);
        let suite = format!("{of}{}", rule.family());
        if suites.last().is_none_or(|last| last.name.as_str() != suite) {
            suites.push(TestSuite::new(suite));
        }
        let Some(suite) = suites.last_mut() else { continue };
        let mut quiet = true;
        for finding in report.findings.iter().filter(|finding| finding.rule.id == rule.id) {
            quiet = false;
            let is_new = since.is_none_or(|since| since.is_new(finding));
            let status = match denied.is_some_and(|denied| finding.severity >= denied) {
                true if is_new => failed(fabric, finding),
                true => skipped(&format!("as before: {}", finding.what.message)),
                false => skipped(&format!("{}: {}", finding.severity, finding.what.message)),
            };
            let at = finding.what.primary.span;
            suite.add_test_case(case(fabric, &finding.what.message, rule.id, at, status));
        }
        for accepted in report.accepted.iter().filter(|one| one.finding.rule.id == rule.id) {
            quiet = false;
            let finding = &accepted.finding;
            let status = skipped(&format!("accepted: {}", accepted.reason));
            let at = finding.what.primary.span;
            suite.add_test_case(case(fabric, &finding.what.message, rule.id, at, status));
        }
        for beyond in report.beyond.iter().filter(|beyond| beyond.rule == rule.id) {
            quiet = false;
            let words = crate::findings::beyond(beyond);
            let counts = !beyond.accepted && denied.is_some_and(|denied| beyond.severity >= denied);
            let status = match counts {
                true => {
                    let mut status = TestCaseStatus::non_success(NonSuccessKind::Failure);
                    status.set_message(&words).set_type(beyond.severity.word());
                    status
                }
                false => skipped(&words),
            };
            let mut case = TestCase::new(words, status);
            case.set_classname(format!("felting.{}", rule.id));
            suite.add_test_case(case);
        }
        if quiet {
            // A rule that never ran has passed nothing.
            let status = match report.rules_off.contains(&rule.id) {
                true => skipped("switched off by the fabric"),
                false => TestCaseStatus::success(),
            };
            let mut passed = TestCase::new(rule.summary, status);
            passed.set_classname(format!("felting.{}", rule.id));
            suite.add_test_case(passed);
        }
    }
    suites
}

fn name(fabric: &Fabric) -> String {
    if fabric.name().is_empty() { "the fabric".to_owned() } else { fabric.name().to_owned() }
}

fn place(fabric: &Fabric, span: Span) -> String {
    let at = fabric.sources().location(span);
    format!("{}:{}:{}", at.file, at.line, at.column)
}

fn case(fabric: &Fabric, name: &str, rule: &str, at: Span, status: TestCaseStatus) -> TestCase {
    let mut case = TestCase::new(name, status);
    let at = fabric.sources().location(at);
    case.set_classname(format!("felting.{rule}"));
    case.extra.insert("file".into(), at.file.into());
    case.extra.insert("line".into(), at.line.to_string().into());
    case
}

fn failed(fabric: &Fabric, finding: &Finding) -> TestCaseStatus {
    let mut text =
        format!("{}: {}\n", place(fabric, finding.what.primary.span), finding.what.primary.text);
    for label in &finding.what.related {
        // Writing to a String cannot fail, here and below.
        let _ = writeln!(text, "{}: {}", place(fabric, label.span), label.text);
    }
    let _ = writeln!(text, "on the wire: {}\nremedy: {}", finding.wire, finding.what.remedy);
    let mut status = TestCaseStatus::non_success(NonSuccessKind::Failure);
    status
        .set_message(&finding.what.message)
        .set_type(finding.severity.word())
        .set_description(text);
    status
}

fn skipped(why: &str) -> TestCaseStatus {
    let mut status = TestCaseStatus::skipped();
    status.set_message(why);
    status
}
