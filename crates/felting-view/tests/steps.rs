//! Steps are counted by hand: whatever is drawn or written ends with all that were announced.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::path::Path;

use felting::diagnostic::Severity;
use felting::fabric::Selection;
use felting::progress::{Progress, Stage};
use felting::{Condition, Fabric, State};
use felting_view::sheet::{Format, Sheet, Topic};
use felting_view::{Checked, Style};

fn demo(name: &str) -> (Fabric, State) {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    let fabric = Fabric::from_path(demo.join(name).join("fabric.toml"));
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    (fabric, state)
}

/// All steps of a stage are done, and there were as many as are wanted.
fn done(what: &str, progress: &Progress, stage: Stage, steps: Option<usize>) {
    let now = progress.now();
    assert_eq!((now.stage, now.done), (stage, now.of), "{what}");
    assert!(steps.is_none_or(|steps| steps == now.of), "{what}: {steps:?} are not {}", now.of);
}

#[test]
fn sheets_in_every_form() {
    for name in ["saltmarsh", "saltmarsh-stormy"] {
        let (fabric, state) = demo(name);
        let progress = Progress::default();
        for &(topic, word, _) in Topic::ALL {
            let only = Selection::of(&fabric, &["dune-a"]).unwrap();
            let only = topic.is_of_switches().then_some(&only);
            let sheet = Sheet::of(topic, &state, only, &progress);
            done(word, &progress, Stage::Rows, None);
            assert!(sheet.rows.is_empty() || progress.now().of > 0, "{word}");
            for format in [Format::Table, Format::Csv, Format::Json, Format::Markdown] {
                sheet.render(format, Style::PLAIN, &progress);
                done(word, &progress, Stage::Writing, Some(sheet.rows.len()));
            }
        }
    }
}

#[test]
fn findings_in_every_form() {
    let (fabric, _) = demo("saltmarsh-stormy");
    let (report, progress) = (fabric.check(), Progress::default());
    let found = Some(report.findings.len());
    felting_view::findings(&Checked::new(&fabric, &report), Style::PLAIN, &progress);
    done("text", &progress, Stage::Writing, found);
    felting_view::findings_json(&[Checked::new(&fabric, &report)], &progress);
    done("JSON", &progress, Stage::Writing, found);
    felting_view::findings_sarif(&[Checked::new(&fabric, &report)], &progress);
    done("SARIF", &progress, Stage::Writing, found);
    felting_view::findings_junit(
        &[Checked::new(&fabric, &report)],
        Some(Severity::Error),
        &progress,
    );
    done("JUnit", &progress, Stage::Writing, Some(felting::rules::all().count()));
}

#[test]
fn topologies() {
    for name in ["saltmarsh", "saltmarsh-stormy"] {
        let (fabric, state) = demo(name);
        let progress = Progress::default();
        felting_view::topology_dot(&state, None, &progress);
        done("DOT", &progress, Stage::Writing, Some(fabric.cables().len()));
        felting_view::topology_rfc8345(&state, &progress);
        done("RFC 8345", &progress, Stage::Writing, None);
        assert!(progress.now().of > fabric.devices().len() + fabric.cables().len());
    }
}
