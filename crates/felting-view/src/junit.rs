//! Findings as `JUnit` XML, which most systems that run tests can show.

use std::fmt::Write as _;

use felting::Fabric;
use felting::diagnostic::{Finding, Report, Severity, Span};
use felting::progress::{Progress, Stage};
use felting::rules;
use quick_junit::{NonSuccessKind, TestCase, TestCaseStatus, TestSuite};

/// All that was found, as `JUnit` XML: a suite for each family of rules, a case for each finding, and a passed
/// case for each rule that found nothing. What is below the denied severity, or accepted, is a skipped case.
pub fn findings_junit(
    fabric: &Fabric,
    report: &Report,
    denied: Severity,
    progress: &Progress,
) -> String {
    let mut page = quick_junit::Report::new(name(fabric));
    let mut input = TestSuite::new("input");
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
    page.add_test_suite(input);
    let mut suites: Vec<TestSuite> = Vec::new();
    progress.begin(Stage::Writing, rules::all().count());
    for rule in rules::all() {
        progress.advance(1);
        if suites.last().is_none_or(|suite| suite.name.as_str() != rule.family()) {
            suites.push(TestSuite::new(rule.family()));
        }
        let Some(suite) = suites.last_mut() else { continue };
        let mut quiet = true;
        for finding in report.findings.iter().filter(|finding| finding.rule.id == rule.id) {
            quiet = false;
            let status = match finding.severity >= denied {
                true => failed(fabric, finding),
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
        if quiet {
            let mut passed = TestCase::new(rule.summary, TestCaseStatus::success());
            passed.set_classname(format!("felting.{}", rule.id));
            suite.add_test_case(passed);
        }
    }
    page.add_test_suites(suites);
    page.to_string().unwrap_or_default()
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
