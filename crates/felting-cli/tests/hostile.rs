//! Files that somebody wrote to deceive, and files that a spreadsheet or an editor left: `hostile/` has one a trick, and
//! beside it what must come out. Whatever is asked of them, nothing panics, what comes out can be read by what reads
//! its form, and no control character, no mark of direction and no line that the file forges gets to a terminal.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::path::{Path, PathBuf};
use std::process::Command;

use felting::diagnostic::is_hostile;

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/hostile")
}

/// The tricks, by name: a file, or a folder with a `fabric.toml`.
fn tricks() -> Vec<String> {
    let entries = std::fs::read_dir(folder()).unwrap().map(|entry| entry.unwrap().path());
    let is_trick = |path: &PathBuf| path.is_dir() || path.extension().is_some_and(|e| e == "toml");
    let names = entries.filter(is_trick);
    let mut names: Vec<String> =
        names.map(|path| path.file_name().unwrap().to_str().unwrap().to_owned()).collect();
    names.sort();
    names
}

/// What a command says of a trick: its exit code, standard output, standard error.
fn said(words: &[&str], trick: &str) -> (i32, String, String) {
    let mut command = Command::new(env!("CARGO_BIN_EXE_felting"));
    let output = command.current_dir(folder()).args(words).arg(trick).output().unwrap();
    let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
    let code = output.status.code().unwrap_or(-1);
    (code, text(output.stdout), text(output.stderr))
}

#[test]
fn what_comes_out() {
    for trick in tricks() {
        let (code, out, error) = said(&["check"], &trick);
        let mut page = format!("{out}{error}exit code {code}\n");
        if trick == "formulas" {
            for form in [&["csv"][..], &["csv", "--raw"], &["markdown"]] {
                let words = [&["sheet", "cables", "--format"], form].concat();
                page.extend(["\n", &words.join(" "), "\n", &said(&words, &trick).1]);
            }
        }
        let mut settings = insta::Settings::clone_current();
        settings.set_snapshot_path("hostile");
        settings.set_prepend_module_to_snapshot(false);
        settings.bind(|| insta::assert_snapshot!(trick.trim_end_matches(".toml"), page));
    }
}

/// In every form, of every command.
#[test]
fn nothing_gets_through() {
    let asked: &[&[&str]] = &[
        &["check", "--colour", "never"],
        &["check", "--format", "line"],
        &["check", "--format", "json"],
        &["check", "--format", "sarif"],
        &["check", "--format", "junit"],
        &["sheet", "cables"],
        &["sheet", "cables", "--format", "csv"],
        &["sheet", "cables", "--format", "json"],
        &["sheet", "cables", "--format", "markdown"],
        &["sheet", "lags"],
        &["topology"],
        &["topology", "--format", "rfc8345"],
        &["draw", "cabling"],
        &["draw", "cabling", "--findings"],
        &["draw", "tenants"],
        &["report"],
        &["where", "gauge-1"],
        &["where", "gauge-1", "--format", "json"],
    ];
    for trick in tricks() {
        for words in asked {
            let (code, out, error) = said(words, &trick);
            let what = format!("{} {trick}", words.join(" "));
            assert!(
                (0..=2).contains(&code) && !error.contains("panicked"),
                "{what}: {code} {error}"
            );
            for text in [&out, &error] {
                let raw = text.chars().find(|&one| is_hostile(one) && one != '\n');
                assert_eq!(raw, None, "{what}: {text:?}");
            }
            if out.is_empty() {
                continue;
            }
            match words {
                [.., "json" | "sarif" | "rfc8345"] => {
                    serde_json::from_str::<serde_json::Value>(&out).expect(&what);
                }
                [.., "junit"] | ["draw", ..] => reads_as_xml(&out, &what),
                [.., "csv"] => {
                    let mut reader = csv::Reader::from_reader(out.as_bytes());
                    assert!(reader.records().all(|row| row.is_ok()), "{what}: {out}");
                }
                _ => {}
            }
        }
    }
}

fn reads_as_xml(text: &str, what: &str) {
    let mut reader = quick_xml::Reader::from_str(text);
    loop {
        match reader.read_event() {
            Ok(quick_xml::events::Event::Eof) => return,
            Ok(_) => {}
            Err(error) => panic!("{what}: {error}"),
        }
    }
}

/// A file that is shorter when a line of it is shown than when it was read, and one that is gone.
#[test]
fn a_file_that_changes_meanwhile() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("fabric.toml");
    let text = std::fs::read_to_string(self::folder().join("networks.toml")).unwrap();
    for after in [Some("#"), Some(""), None] {
        std::fs::write(&path, &text).unwrap();
        let fabric = felting::Fabric::from_path(&path);
        match after {
            Some(after) => std::fs::write(&path, after).unwrap(),
            None => std::fs::remove_file(&path).unwrap(),
        }
        let report = fabric.check();
        let checked = felting_view::Checked::new(&fabric, &report);
        let quiet = felting::Progress::default();
        let told = felting_view::findings(&checked, felting_view::Style::PLAIN, &quiet);
        assert!(told.contains("two networks of the name web"), "{told}");
        assert!(!felting_view::findings_json(&[checked], &quiet).is_empty());
        assert!(felting_view::named(&fabric, "gauge-1").unwrap().contains("gauge-1"));
    }
}

/// Links, pipes and devices as root files and as includes.
#[cfg(unix)]
#[test]
fn what_is_no_plain_file() {
    use std::io::Write as _;
    use std::os::unix::fs::symlink;
    let folder = tempfile::tempdir().unwrap();
    let run = |arguments: &[&str]| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_felting"));
        let output = command.current_dir(folder.path()).args(arguments).output().unwrap();
        let said = [output.stdout, output.stderr].concat();
        (output.status.code().unwrap(), String::from_utf8(said).unwrap())
    };
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    std::fs::create_dir_all(folder.path().join("inside/pods/hall")).unwrap();
    std::fs::create_dir_all(folder.path().join("outside/skerry")).unwrap();
    write("inside/fabric.toml", "fabric = { name = \"shore\", include = \"pods/*/*.toml\" }\n");
    write("inside/pods/hall/a.toml", "[[switch]]\nname = \"kelp-a\"\n");
    write("outside/skerry/b.toml", "[[switch]]\nname = \"skerry-a\"\n");
    // A root file that is a link is what it leads to.
    symlink("inside/fabric.toml", folder.path().join("today.toml")).unwrap();
    let (code, said) = run(&["check", "today.toml", "--quiet"]);
    assert!(code == 0 && said.contains("1 switch"), "{said}");
    // A link inside the folder is followed, one in a circle only once.
    symlink("hall", folder.path().join("inside/pods/alias")).unwrap();
    symlink("..", folder.path().join("inside/pods/hall/up")).unwrap();
    let (code, said) = run(&["check", "inside"]);
    assert!(code == 2 && said.contains("kelp-a"), "{said}");
    std::fs::remove_file(folder.path().join("inside/pods/alias")).unwrap();
    // One that leads out is refused, and said.
    symlink("../../outside/skerry", folder.path().join("inside/pods/skerry")).unwrap();
    let (code, said) = run(&["check", "inside"]);
    assert!(
        code == 2 && said.contains("pods/skerry leads out of the root file's folder"),
        "{said}"
    );
    std::fs::remove_file(folder.path().join("inside/pods/skerry")).unwrap();
    // A pipe is read, with a word that it is waited for; as an include it is refused.
    let pipe = |name: &str| {
        let made = Command::new("mkfifo").arg(folder.path().join(name)).status().unwrap();
        assert!(made.success());
    };
    pipe("fed");
    let fed = folder.path().join("fed");
    let feeder = std::thread::spawn(move || {
        let mut pipe = std::fs::OpenOptions::new().write(true).open(fed).unwrap();
        pipe.write_all(b"[[switch]]\nname = \"kelp-a\"\n").unwrap();
    });
    let (code, said) = run(&["check", "fed", "--quiet"]);
    feeder.join().unwrap();
    assert!(code == 0 && said.contains("waiting for what is written into the pipe fed"), "{said}");
    pipe("inside/pods/hall/pipe.toml");
    let (code, said) = run(&["check", "inside"]);
    assert!(code == 2 && said.contains("it is a pipe, a device or a socket"), "{said}");
    let (code, said) = run(&["check", "/dev/null", "--quiet"]);
    assert!(code == 2 && said.contains("1 input fault"), "{said}");
}

/// Where no more threads can be started one does it all.
#[cfg(target_os = "linux")]
#[test]
fn without_threads() {
    let program = env!("CARGO_BIN_EXE_felting");
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/saltmarsh");
    let plain = Command::new(program).arg("check").arg(&demo).output().unwrap();
    // The stack of a thread is more than what is left.
    let mut limited = Command::new("sh");
    limited.args(["-c", "ulimit -v 400000; RUST_MIN_STACK=800000000 exec \"$0\" check \"$1\""]);
    let limited = limited.arg(program).arg(&demo).output().unwrap();
    let error = String::from_utf8_lossy(&limited.stderr);
    assert_eq!(plain.stdout, limited.stdout, "{error}");
    assert!(!error.contains("panicked"), "{error}");
}
