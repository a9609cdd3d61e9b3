//! Steps are counted by hand: whatever is drawn or written ends with all that were announced.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::path::Path;

use felting::progress::{Progress, Stage};
use felting::{Condition, Fabric, State};
use felting_draw::{Reported, Theme};

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
fn reports_and_pictures() {
    for name in ["saltmarsh", "saltmarsh-stormy"] {
        let (fabric, state) = demo(name);
        let progress = Progress::default();
        let (report, failures) =
            (fabric.check(), felting::walk::judge(&state, &Progress::default()));
        let reported = Reported {
            only: None,
            state: &state,
            report: &report,
            failures: &failures,
            down: &[],
            left_out: 0,
            day: "2026-11-26",
        };
        felting_draw::report(&reported, &progress);
        done("report", &progress, Stage::Writing, None);
    }
    let (_, state) = demo("saltmarsh");
    let progress = Progress::default();
    felting_draw::tenants(&state, None).unwrap().png(Theme::Light, 4.0, &progress);
    done("picture", &progress, Stage::Drawing, None);
    assert!(progress.now().of > 1, "it is drawn in several bands");
}
