//! No trouble without a finding: whatever does not work as it was written is explained by what is found.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::path::{Path, PathBuf};

use felting::rules::{Claims, Terms};
use felting::{Condition, Fabric, Progress, State};
use rayon::prelude::*;

/// What is unexplained in a fabric.
fn unexplained(fabric: &Fabric) -> Vec<String> {
    if !fabric.is_complete() {
        return Vec::new();
    }
    let quiet = Progress::default();
    let state = State::of(fabric, &Condition::default(), &quiet);
    // What a file switches off or accepts, it knows of.
    let report = state.check(Terms::default().ignore_severities(), &quiet);
    let claims = Claims::of(&report);
    let troubles = state.troubles().into_iter().chain(state.parted());
    let open = troubles.filter(|&trouble| !claims.explain(&state, trouble));
    open.map(|trouble| state.trouble_words(trouble)).collect()
}

fn files(folder: &Path) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
    let mut found: Vec<PathBuf> = entries
        .flat_map(|path| if path.is_dir() { files(&path) } else { vec![path] })
        .filter(|path| path.extension().is_some_and(|extension| extension == "toml"))
        .collect();
    found.sort();
    found
}

#[test]
fn the_law_holds_in_every_example_of_a_rule() {
    let rules: Vec<_> = felting::rules::all().collect();
    let open: Vec<String> = rules
        .par_iter()
        .flat_map_iter(|rule| {
            let open = unexplained(&Fabric::from_text("f.toml", rule.broken));
            open.into_iter().map(|what| format!("{}: {what}", rule.id))
        })
        .collect();
    assert!(open.is_empty(), "{} are unexplained:\n{}", open.len(), open.join("\n"));
}

#[test]
fn the_law_holds_in_what_engineers_judged() {
    let judged = Path::new(env!("CARGO_MANIFEST_DIR")).join("../felting-cli/tests/judged");
    let open: Vec<String> = files(&judged)
        .par_iter()
        .flat_map_iter(|path| {
            let open = unexplained(&Fabric::from_path(path));
            let name = path.file_name().unwrap().to_string_lossy().into_owned();
            open.into_iter().map(move |what| format!("{name}: {what}"))
        })
        .collect();
    assert!(open.is_empty(), "{} are unexplained:\n{}", open.len(), open.join("\n"));
}

#[test]
fn the_law_holds_in_both_demos() {
    for demo in ["saltmarsh", "saltmarsh-stormy"] {
        let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(demo);
        let open = unexplained(&Fabric::from_path(path));
        assert!(open.is_empty(), "{demo}:\n{}", open.join("\n"));
    }
}
