//! Nothing is destroyed that should not be, and a write that fails fails the command.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]
#![cfg(unix)]

use std::os::unix::fs::{FileTypeExt as _, PermissionsExt as _, symlink};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn felting(folder: &Path, arguments: &[&str]) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_felting"));
    command.current_dir(folder).args(arguments);
    command
}

fn run(folder: &Path, arguments: &[&str]) -> (i32, String) {
    let output = felting(folder, arguments).output().unwrap();
    (output.status.code().unwrap(), String::from_utf8_lossy(&output.stderr).into_owned())
}

/// A folder with the clean demo in it.
fn shore() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let (code, error) =
        run(&root(), &["demo", "--into", folder.path().join("try").to_str().unwrap()]);
    assert_eq!(code, 0, "{error}");
    folder
}

#[test]
fn what_was_read_or_is_named_as_something_else_is_not_written_over() {
    let folder = shore();
    let inside = folder.path().join("try/saltmarsh");
    let before = std::fs::read(inside.join("fabric.toml")).unwrap();
    symlink("fabric.toml", inside.join("link")).unwrap();
    let cables = std::fs::read(inside.join("cables.csv")).unwrap();
    std::fs::write(inside.join("base.json"), "{\"findings\": []}").unwrap();
    for (arguments, expected) in [
        (&["report", "-o", "fabric.toml"][..], "is named as something else than HTML"),
        (&["check", "-o", "fabric.toml"], "name it fabric.txt"),
        (&["check", "-o", "link"], "was read for this answer"),
        (&["sheet", "cables", "--format", "csv", "-o", "cables.csv"], "was read for this answer"),
        (&["sheet", "cables", "-o", "cables.csv"], "is named as something else than a text"),
        (&["check", "--baseline", "base.json", "--format", "json", "-o", "base.json"], "was read"),
        (&["walk", "web-1", "web-2", "--capture", "w.json"], "name it w.pcapng"),
        (&["topology", "-o", "t.svg"], "name it t.dot"),
    ] {
        let (code, error) = run(&inside, arguments);
        assert!(code == 2 && error.contains(expected), "{arguments:?}: {error}");
    }
    assert_eq!(std::fs::read(inside.join("fabric.toml")).unwrap(), before);
    assert_eq!(std::fs::read(inside.join("cables.csv")).unwrap(), cables);
    // A name that says nothing passes.
    assert_eq!(run(&inside, &["check", "-o", "answer"]).0, 0);
    assert_eq!(run(&inside, &["check", "-o", "answer.today"]).0, 0);
}

#[test]
fn links_are_followed_modes_kept_and_devices_written_through() {
    let folder = shore();
    let inside = folder.path().join("try/saltmarsh");
    let (file, link, dangling) =
        (inside.join("private"), inside.join("link"), inside.join("dangling"));
    std::fs::write(&file, "old").unwrap();
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o600)).unwrap();
    symlink("private", &link).unwrap();
    symlink("to-be-made", &dangling).unwrap();
    assert_eq!(run(&inside, &["check", "-o", "link"]).0, 0);
    assert!(link.is_symlink());
    assert!(std::fs::read_to_string(&file).unwrap().starts_with("saltmarsh: "));
    assert_eq!(std::fs::metadata(&file).unwrap().permissions().mode() & 0o777, 0o600);
    assert_eq!(run(&inside, &["check", "-o", "dangling"]).0, 0);
    assert!(dangling.is_symlink() && inside.join("to-be-made").is_file());
    assert_eq!(run(&inside, &["walk", "web-1", "web-2", "--capture", "/dev/null"]).0, 0);
    assert!(std::fs::metadata("/dev/null").unwrap().file_type().is_char_device());
    // Nothing is left beside.
    let beside = std::fs::read_dir(&inside).unwrap().filter_map(Result::ok);
    let beside = beside.filter(|one| one.file_name().to_string_lossy().starts_with(".felting"));
    assert_eq!(beside.count(), 0);
}

/// A full disk, on standard output and in a file; a reader that has gone away is none.
#[test]
fn a_write_that_fails_fails_the_command() {
    let inside = root().join("demo/saltmarsh");
    let full = || std::fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
    for arguments in [
        &["check", "--format", "json"][..],
        &["sheet", "lags"],
        &["draw", "cabling"],
        &["draw", "cabling", "--format", "png"],
        &["demo"],
        &["explain"],
        &["schema"],
    ] {
        let output =
            felting(&inside, arguments).stdout(full()).stderr(Stdio::piped()).output().unwrap();
        let error = String::from_utf8_lossy(&output.stderr);
        assert_eq!(output.status.code(), Some(2), "{arguments:?}: {error}");
        assert!(error.contains("could not be written"), "{arguments:?}: {error}");
    }
    let (code, error) = run(&inside, &["check", "-o", "/dev/full"]);
    assert!(code == 2 && error.contains("could not be written"), "{error}");
    let mut child = felting(&inside, &["demo"]).stdout(Stdio::piped()).spawn().unwrap();
    drop(child.stdout.take());
    assert_eq!(child.wait().unwrap().code(), Some(0));
}
