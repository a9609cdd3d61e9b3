//! The examples that people copy, run as they say.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::path::{Path, PathBuf};
use std::process::Command;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// What an example prints. Cargo builds the examples of all crates beside the command before it runs tests.
fn run(example: &str, arguments: &[&str]) -> String {
    let beside = Path::new(env!("CARGO_BIN_EXE_felting")).parent().unwrap().join("examples");
    let output =
        Command::new(beside.join(example)).args(arguments).current_dir(root()).output().unwrap();
    let error = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{example}: {error}");
    String::from_utf8(output.stdout).unwrap()
}

#[test]
fn each_says_what_it_promises() {
    let clean = "demo/saltmarsh/fabric.toml";
    let stormy = "demo/saltmarsh-stormy/fabric.toml";
    let folder = tempfile::tempdir_in(root().join("target")).unwrap();
    let change = folder.path().join("change.toml");
    std::fs::write(&change, "[[lag]]\non = \"jetty\"\nname = \"reed\"\nprotocol = \"static\"\n")
        .unwrap();
    for (example, arguments) in [
        ("build_a_fabric", &[][..]),
        ("selected_members", &[]),
        ("check_file", &[clean]),
        ("who_holds_a_vni", &[clean, "23310"]),
        ("survive_losses", &[]),
        ("walk_and_why", &[stormy, "solver-1", "solver-2"]),
        ("own_files", &[clean]),
        ("check_in_memory", &[]),
        ("review_comments", &[clean, change.to_str().unwrap()]),
    ] {
        let said = run(example, arguments);
        let said = said.replace(change.to_str().unwrap(), "change.toml");
        insta::assert_snapshot!(example, said);
    }
}
