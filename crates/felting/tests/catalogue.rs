//! Tests over the whole catalogue of rules: what each rule must have, and that it fires on its own
//! example and on nothing else's.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::collections::BTreeSet;
use std::path::Path;

use felting::diagnostic::Rule;
use felting::rules;
use felting::source::FaultKind;
use felting::{Condition, Fabric, Progress, Report, State};

/// A day after the acceptance in an example has ended.
fn check(text: &str) -> (Fabric, Report) {
    let fabric = Fabric::from_text("example.toml", text);
    let report = State::of(&fabric, &Condition::default(), &Progress::default())
        .check(Some(jiff::civil::date(2026, 11, 24)), &Progress::default());
    (fabric, report)
}

fn found(report: &Report) -> Vec<String> {
    report.findings.iter().map(|f| format!("{}: {}", f.rule.id, f.what.message)).collect()
}

fn faults(fabric: &Fabric) -> Vec<String> {
    fabric.faults().iter().map(|fault| fault.what.message.clone()).collect()
}

#[test]
fn each_broken_example_fires_its_rule_once_and_no_other() {
    let mut wrong = Vec::new();
    for rule in rules::all() {
        let (fabric, report) = check(rule.broken);
        if !fabric.is_complete() {
            wrong.push((rule.id, faults(&fabric)));
            continue;
        }
        let ids: Vec<_> = report.findings.iter().map(|finding| finding.rule.id).collect();
        if ids != [rule.id] {
            wrong.push((rule.id, found(&report)));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn each_mended_example_is_silent_and_every_mend_changes_something() {
    let mut wrong = Vec::new();
    for rule in rules::all() {
        for (from, _) in rule.mend {
            assert!(rule.broken.contains(from), "{}: {from:?} is not in the example", rule.id);
        }
        assert_ne!(rule.mended(), rule.broken, "{}", rule.id);
        let (fabric, report) = check(&rule.mended());
        if !fabric.is_complete() {
            wrong.push((rule.id, faults(&fabric)));
            continue;
        }
        if !report.findings.is_empty() {
            wrong.push((rule.id, found(&report)));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn each_finding_has_both_places_a_consequence_and_a_remedy() {
    // A finding about what is accepted or off has one side, but for the day that is over.
    let one_sided = |rule: &Rule| rule.family() == "accept" && rule.id != "accept-expired";
    for rule in rules::all() {
        let (fabric, report) = check(rule.broken);
        for finding in &report.findings {
            let labels = std::iter::once(&finding.what.primary).chain(&finding.what.related);
            for label in labels {
                assert!(
                    !fabric.sources().text(label.span).is_empty(),
                    "{}: an empty place",
                    rule.id
                );
                assert!(!label.text.is_empty() && !label.text.contains('\n'), "{}", rule.id);
            }
            let places: BTreeSet<_> = finding.what.related.iter().map(|label| label.span).collect();
            assert!(
                one_sided(rule) || places.iter().any(|&p| p != finding.what.primary.span),
                "{}",
                rule.id
            );
            assert!(!finding.wire.is_empty() && !finding.what.remedy.is_empty(), "{}", rule.id);
            assert!(
                !finding.about.is_empty(),
                "{}: about nothing, so it cannot be accepted",
                rule.id
            );
        }
    }
}

#[test]
fn metadata_is_filled_in_and_files_are_ids() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("src/rules");
    let mut ids = BTreeSet::new();
    for rule in rules::all() {
        assert!(ids.insert(rule.id), "{} is listed twice", rule.id);
        assert!(!rule.summary.is_empty() && !rule.explain.is_empty() && !rule.sources.is_empty());
        assert!(!rule.summary.ends_with('.'), "{}: a summary is a phrase", rule.id);
    }
    let mut files = BTreeSet::new();
    for family in std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()) {
        if !family.is_dir() {
            continue;
        }
        let name = family.file_name().unwrap().to_str().unwrap().to_owned();
        for file in std::fs::read_dir(&family).unwrap() {
            let file = file.unwrap().path();
            let stem = file.file_stem().unwrap().to_str().unwrap().replace('_', "-");
            files.insert(format!("{name}-{stem}"));
        }
    }
    let ids: BTreeSet<_> = ids.into_iter().map(str::to_owned).collect();
    assert_eq!(
        files, ids,
        "a file without its `mod` line or its place in RULES compiles to nothing"
    );
}

#[test]
fn ids_of_rules_and_input_faults_stay_as_they_are() {
    // People write these ids into their files, so a change must show in review.
    let rules = rules::all().map(|rule| format!("{} ({})", rule.id, rule.severity));
    let faults = FaultKind::ALL.iter().map(|kind| kind.id().to_owned());
    insta::assert_snapshot!(rules.chain(faults).collect::<Vec<_>>().join("\n"));
}

#[test]
fn causes_name_rules_that_exist() {
    for rule in rules::all() {
        let (fabric, _) = check(rule.broken);
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        for (_, cause) in state.causes().iter() {
            assert!(rules::find(cause.rule).is_some(), "{}", cause.rule);
        }
    }
}
