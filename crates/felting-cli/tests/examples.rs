//! The examples that people copy, run as they say.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::path::{Path, PathBuf};
use std::process::Command;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// What an example prints. Cargo has built all that are in the workspace before it runs its tests.
fn run(package: &str, example: &str, arguments: &[&str]) -> String {
    let output = Command::new(env!("CARGO"))
        .args(["run", "--quiet", "--locked", "-p", package, "--example", example, "--"])
        .args(arguments)
        .current_dir(root())
        .output()
        .unwrap();
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
    for (package, example, arguments) in [
        ("felting", "survive_losses", &[][..]),
        ("felting", "walk_and_why", &[stormy, "solver-1", "solver-2"]),
        ("felting", "own_files", &[clean]),
        ("felting-view", "check_in_memory", &[]),
        ("felting-view", "review_comments", &[clean, change.to_str().unwrap()]),
    ] {
        let said = run(package, example, arguments);
        let said = said.replace(change.to_str().unwrap(), "change.toml");
        insta::assert_snapshot!(example, said);
    }
}
