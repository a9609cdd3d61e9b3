//! The real binary, driven as a user would.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use felting::source::{Disk, Files as _};
use insta_cmd::{assert_cmd_snapshot, get_cargo_bin};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The command in the root of the repository, on a day that doesn't pass.
fn felting(arguments: &[&str]) -> Command {
    let mut command = Command::new(get_cargo_bin("felting"));
    command.args(arguments).current_dir(root()).env_remove("NO_COLOR").env("COLUMNS", "100");
    command
}

fn run(arguments: &[&str]) -> (i32, String, String) {
    let output = felting(arguments).output().unwrap();
    let text = |bytes| String::from_utf8(bytes).unwrap();
    (output.status.code().unwrap(), text(output.stdout), text(output.stderr))
}

const STORMY: &str = "demo/saltmarsh-stormy/fabric.toml";
const CLEAN: &str = "demo/saltmarsh/fabric.toml";

#[test]
fn exit_codes() {
    let hint = "demo/saltmarsh/hosts/others.toml";
    for (arguments, code) in [
        (&["check", CLEAN][..], 0),
        (&["check", STORMY], 1),
        (&["check", STORMY, "--format", "json"], 1),
        (&["walk", "web-1", "web-2", CLEAN], 0),
        (&["walk", "web-1", "gauge", CLEAN], 1),
        (&["walk", "web-1", "web-2", CLEAN, "--cut", "hull-04"], 1),
        (&["walk", "web-1", "web-2", CLEAN, "--move", "web-2 to hull-01"], 0),
        (&["walk", "web-1", "web-1", CLEAN], 2),
        (&["walk", "wbe-1", "web-2", CLEAN], 2),
        (&["walk", "hull-06", "web-2", CLEAN], 2),
        (&["walk", "web-1", "10.9.9.9", CLEAN], 0),
        (&["walk", "web-1", "web-2", CLEAN, "--cut", "kelp-z"], 2),
        (&["walk", "web-1", "web-2", CLEAN, "--move", "web-1 to"], 2),
        (&["walk", "web-1", "web-2", CLEAN, "--capture", "no/such/folder/w.pcapng"], 2),
        (&["walk", "a", "b", "no-such.toml"], 2),
        (&["check", "no-such.toml"], 2),
        (&["check", "demo"], 2),
        (&["check", hint], 2),
        (&["sheet", "lags", STORMY], 0),
        (&["sheet", "lags", "no-such.toml"], 2),
        (&["sheet", "tides", CLEAN], 2),
        (&["explain"], 0),
        (&["explain", "lag-one-sided"], 0),
        (&["explain", "lag-two-sided"], 2),
        (&["report", CLEAN], 0),
        (&["report", CLEAN, "-o", "no/such/folder/r.html"], 2),
        (&["topology", CLEAN, "--format", "rfc8345"], 0),
        (&["topology", "no-such.toml"], 2),
        (&["check", STORMY, "--format", "sarif"], 1),
        (&["check", CLEAN, "--format", "junit"], 0),
        (&["nonsense"], 2),
        (&["schema"], 0),
        (&["completions", "bash"], 0),
        (&["demo"], 0),
    ] {
        assert_eq!(run(arguments).0, code, "{arguments:?}");
    }
}

#[test]
fn the_denied_level_decides_between_0_and_1() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("fabric.toml");
    std::fs::write(&file, felting::rules::find("uplink-single-nic").unwrap().broken).unwrap();
    let file = file.to_str().unwrap();
    assert_eq!(run(&["check", file]).0, 0, "a hint is below a warning");
    assert_eq!(run(&["check", file, "--deny", "hint"]).0, 1);
    assert_eq!(run(&["check", STORMY, "--deny", "error"]).0, 1);
}

#[test]
fn the_default_file_is_the_one_in_this_folder() {
    let output = felting(&["check"]).current_dir(root().join("demo/saltmarsh")).output().unwrap();
    assert!(output.status.success());
    assert!(String::from_utf8(output.stdout).unwrap().starts_with("saltmarsh: nothing found"));
}

#[test]
fn an_overlay_answers_what_if() {
    let folder = tempfile::tempdir().unwrap();
    let over = folder.path().join("mend.toml");
    std::fs::write(&over, "[[segment]]\nname = \"harbour-out\"\nvni = 23390\n").unwrap();
    let (code, out, _) = run(&["check", STORMY, "--with", over.to_str().unwrap()]);
    assert_eq!(code, 1);
    assert!(!out.contains("segment-vni-reused") && out.contains("segment-vni-clash"));
}

#[test]
fn a_sheet_says_what_a_cut_changes() {
    let sheet = |arguments: &[&str]| {
        let (mut all, file) = (vec!["sheet", "lags", CLEAN], arguments);
        all.extend(file);
        run(&all)
    };
    let (code, out, _) = sheet(&["--cut", "kelp-b", "--changes", "--format", "csv"]);
    assert_eq!(code, 0);
    assert!(out.contains("hull-01,bond0,in use,2 of 2,1 of 2"), "{out}");
    let (code, out, err) = sheet(&["--cut", "klp-b"]);
    assert_eq!((code, out.as_str()), (2, ""));
    assert_eq!(err, "error: there is no \"klp-b\" to cut; did you mean kelp-b?\n");
    let (code, _, err) = sheet(&["--changes"]);
    assert_eq!(code, 2);
    assert!(err.contains("add one of them"), "{err}");
}

#[test]
fn acceptances_are_judged_as_of_a_day() {
    assert!(!run(&["check", STORMY, "--day", "2026-06-30"]).1.contains("accept-expired"));
    assert!(run(&["check", STORMY, "--day", "2026-07-01"]).1.contains("accept-expired"));
    assert_eq!(run(&["check", STORMY, "--day", "soon"]).0, 2);
}

#[test]
fn colour_is_only_where_it_is_wanted() {
    let coloured = |arguments: &[&str], no_color: &str| {
        let output = felting(arguments).env("NO_COLOR", no_color).output().unwrap();
        output.stdout.contains(&0x1b)
    };
    assert!(!coloured(&["check", STORMY], ""), "standard output is no terminal here");
    assert!(coloured(&["check", STORMY, "--colour", "always"], ""));
    assert!(!coloured(&["check", STORMY, "--colour", "never"], ""));
    assert!(!coloured(&["check", STORMY], "1"));
}

#[test]
fn the_demo_is_written_whole_and_never_over_something() {
    let folder = tempfile::tempdir().unwrap();
    let into = folder.path().join("try");
    let (code, out, _) = run(&["demo", "--into", into.to_str().unwrap()]);
    assert_eq!((code, out.lines().count()), (0, 1));
    for (name, code) in [("saltmarsh", 0), ("saltmarsh-stormy", 1)] {
        let file = into.join(name).join("fabric.toml");
        assert_eq!(run(&["check", file.to_str().unwrap()]).0, code, "{name}");
    }
    let (code, _, error) = run(&["demo", "--into", into.to_str().unwrap()]);
    assert_eq!(code, 2);
    assert!(error.contains("exists already"), "{error}");
    let left: Vec<_> = std::fs::read_dir(folder.path()).unwrap().collect();
    assert_eq!(left.len(), 1, "nothing half-written stays behind");
}

#[test]
fn a_first_fabric_is_written_whole_clean_and_never_over_something() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("hall.toml");
    let file = file.to_str().unwrap();
    let three_tiers = ["--pods", "2", "--super-spines", "2", "--hosts", "8", "--tenants", "2"];
    let (code, out, _) =
        run(&[&["new", file, "--name", "the \"hall\"\n"][..], &three_tiers].concat());
    assert_eq!((code, out), (0, format!("wrote {file}; next: felting check {file}\n")));
    let (code, out, _) = run(&["check", file]);
    assert_eq!(code, 0);
    assert!(out.contains("nothing found (14 switches"), "{out}");
    for (arguments, expected) in [
        (&["new", file][..], "exists already"),
        (&["new", "no/such/folder/hall.toml"], "could not be written"),
        (&["new", "x.toml", "--spines", "0"], "give 1 to 32"),
        (&["new", "x.toml", "--hosts", "4000"], "more than the 48"),
        (&["new", "x.toml", "--pods", "2"], "--super-spines"),
    ] {
        let (code, _, error) = run(arguments);
        assert!(code == 2 && error.contains(expected), "{arguments:?}: {error}");
    }
    let left: Vec<_> = std::fs::read_dir(folder.path()).unwrap().collect();
    assert_eq!(left.len(), 1, "nothing half-written stays behind");
}

#[test]
fn a_sheet_of_one_switch_wants_its_name() {
    let (code, out, _) =
        run(&["sheet", "underlay-routes", CLEAN, "--of", "kelp-a", "--format", "csv"]);
    assert_eq!(code, 0);
    assert!(
        out.contains("\n10.64.9.13/32,reed-a reed-b,OSPF,20,crest-1 by p49 crest-2 by p50\n"),
        "{out}"
    );
    let rows = |arguments: &[&str]| run(arguments).1.lines().count();
    assert_eq!(rows(&["sheet", "sessions", CLEAN, "--of", "kelp-a", "--format", "csv"]), 3);
    for (arguments, expected) in [
        (&["sheet", "evpn-routes", CLEAN][..], "name it with --of"),
        (&["sheet", "evpn-routes", CLEAN, "--of", "klp-a"], "did you mean kelp-a?"),
        (&["sheet", "evpn-routes", CLEAN, "--of", "hull-01"], "there is no switch among"),
    ] {
        let (code, _, error) = run(arguments);
        assert!(code == 2 && error.contains(expected), "{arguments:?}: {error}");
    }
}

#[test]
fn every_demo_file_is_in_the_binary() {
    let folder = tempfile::tempdir().unwrap();
    let into = folder.path().join("try");
    run(&["demo", "--into", into.to_str().unwrap()]);
    let (mut shipped, mut written) =
        (Disk::new(root().join("demo")).list("").unwrap(), Disk::new(&into).list("").unwrap());
    shipped.sort();
    written.sort();
    assert_eq!(shipped, written);
}

#[test]
fn what_a_user_sees_first() {
    assert_cmd_snapshot!("help", felting(&["--help"]));
    assert_cmd_snapshot!("check-help", felting(&["check", "--help"]));
    assert_cmd_snapshot!("no-file", felting(&["check", "no-such.toml"]));
    assert_cmd_snapshot!("no-rule", felting(&["explain", "lag-vlan-clsh"]));
    let demo = run(&["demo"]).1;
    let frame: Vec<_> = demo.lines().filter(|line| !line.starts_with([' ', '-', '.'])).collect();
    assert_eq!(frame[0], "The fabric as it should be: demo/saltmarsh/fabric.toml");
    assert!(demo.contains("\nThe same after a storm: "));
    assert!(demo.trim_end().lines().last().unwrap().contains("felting explain"));
}

#[test]
fn walks_as_a_user_sees_them() {
    for (name, words) in [
        ("walk-bridged", &["web-1", "web-2"][..]),
        ("walk-routed-all", &["gauge", "imager-2", "--all"]),
        ("walk-out", &["web-1", "campus"]),
        ("walk-stops", &["web-1", "imager-1"]),
        ("walk-cut", &["lathe", "web-1", "--cut", "jetty 1/p25", "--cut", "reed-b"]),
    ] {
        let arguments = [&["walk"], &words[..2], &[CLEAN], &words[2..]].concat();
        assert_cmd_snapshot!(name, felting(&arguments));
    }
    assert_cmd_snapshot!("walk-explained", felting(&["walk", "solver-1", "solver-2", STORMY]));
    assert_cmd_snapshot!(
        "walk-json",
        felting(&["walk", "lathe", "eye-1", CLEAN, "--format", "json"])
    );
}

/// What is wrong in what was asked is named, with what to do.
#[test]
fn what_cannot_be_walked_is_named() {
    let complaints = [
        &["wbe-1", "web-2"][..],
        &["web-1", "web-1"],
        &["hull-06", "web-1"],
        &["kelp-a", "web-1"],
        &["bench-2", "web-1"],
        &["web-1", "web-2", "--move", "web-1 to hull-99"],
        &["web-1", "web-2", "--capture", "no/such/folder/w.pcapng"],
    ];
    let page: String = complaints
        .iter()
        .map(|words| {
            let (code, out, error) = run(&[&["walk"], &words[..2], &[CLEAN], &words[2..]].concat());
            assert_eq!(code, 2, "{words:?}: {out}");
            error
        })
        .collect();
    insta::assert_snapshot!("walk-complaints", page);
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("w.pcapng");
    let made = run(&["walk", "web-1", "web-2", CLEAN, "--capture", file.to_str().unwrap()]);
    assert_eq!(made.0, 0);
    // The section header block of pcapng comes first, and nothing else is left in the folder.
    assert_eq!(std::fs::read(&file).unwrap()[..4], [0x0a, 0x0d, 0x0d, 0x0a]);
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
}

#[test]
fn drawings_are_written_whole_or_not_at_all() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let (svg, png) = (file("c.svg"), file("w.PNG"));
    assert_eq!(run(&["draw", "cabling", CLEAN, "-o", &svg]).0, 0);
    assert!(std::fs::read_to_string(&svg).unwrap().starts_with("<svg"));
    let ends = ["--from", "web-1", "--to", "web-2"];
    let walk = [&["draw", "walk", CLEAN, "-o", &png, "--scale", "0.5"][..], &ends].concat();
    assert_eq!(run(&walk).0, 0);
    assert!(std::fs::read(&png).unwrap().starts_with(b"\x89PNG"));
    for view in ["overlay", "tenants", "tree"] {
        let (code, out, error) = run(&["draw", view, STORMY, "--findings", "--dark"]);
        assert_eq!((code, error.as_str()), (0, ""), "{view}");
        assert!(out.starts_with("<svg"), "{view}");
    }
    let complaints: String = [
        &["cabling", CLEAN, "-o", "no/such/folder/c.svg"][..],
        &["cabling", CLEAN, "-o", "c.pdf"],
        &["walk", CLEAN],
        &["walk", "--from", "web-1", CLEAN, "--to", "wbe-2"],
        &["overlay", CLEAN, "--from", "web-1"],
        &["tree", CLEAN, "--vlan", "4000"],
        &["cabling", CLEAN, "--vlan", "420"],
        &["cabling", CLEAN, "--cut", "kelp-z"],
    ]
    .iter()
    .map(|words| {
        let (code, out, error) = run(&[&["draw"], *words].concat());
        assert_eq!((code, out.as_str()), (2, ""), "{words:?}");
        error
    })
    .collect();
    insta::assert_snapshot!("draw-complaints", complaints);
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 2);
}

const FOUR_PODS: &str =
    "--pods 4 --pairs 8 --super-spines 2 --hosts 64 --tenants 32 --segments 64 --guests 128";

/// Writes a large fabric of some numbers into a folder.
fn new(folder: &str, numbers: &str) -> (i32, String, String) {
    run(&[&["new", folder], &numbers.split(' ').collect::<Vec<_>>()[..]].concat())
}

#[test]
fn a_large_fabric_is_a_folder_and_its_faults_are_in_its_key() {
    let folder = tempfile::tempdir().unwrap();
    let site = folder.path().join("site");
    let site = site.to_str().unwrap();
    let (code, out, _) = new(site, &format!("{FOUR_PODS} --faults 3 --seed 7"));
    assert_eq!(
        (code, out),
        (
            0,
            format!(
                "wrote 6 files to {site}; next: felting check {site}/fabric.toml\n\
                 the rule and the place of each of its 3 faults are in {site}/faults.csv\n"
            )
        )
    );
    let (_, found, _) = run(&["check", &format!("{site}/fabric.toml"), "--format", "json"]);
    let found: serde_json::Value = serde_json::from_str(&found).unwrap();
    let rules = |rules: Vec<&str>| {
        let mut rules: Vec<String> = rules.into_iter().map(str::to_owned).collect();
        rules.sort();
        rules
    };
    let key = std::fs::read_to_string(format!("{site}/faults.csv")).unwrap();
    let wanted = key.lines().skip(1).map(|row| row.split(',').next().unwrap()).collect();
    let told = found["findings"].as_array().unwrap().iter();
    let told = told.map(|finding| finding["rule"].as_str().unwrap()).collect();
    assert_eq!(rules(told), rules(wanted));
    for (arguments, expected) in [
        (&["new", site][..], "exists already; name a new folder"),
        (&["new", "no/such/site"], "could not be written"),
        (&["new", "x.toml", "--faults", "2"], "name one, such as x/"),
        (&["new", "x/", "--leaves", "4"], "leave out --leaves"),
        (&["new", "x/", "--faults", "500"], "have room apart from each other"),
        (&["new", "x/", "--pairs", "9", "--hosts", "4"], "a host at least for each pair"),
        (&["new", "x/", "--segments", "9000", "--spread", "2"], "all its VLAN ids"),
    ] {
        let (code, _, error) = run(arguments);
        assert!(code == 2 && error.contains(expected), "{arguments:?}: {error}");
    }
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1, "nothing half-written stays");
}

/// What is found, with so many threads.
fn with_threads(threads: &str, arguments: &[&str]) -> Vec<u8> {
    felting(arguments).env("RAYON_NUM_THREADS", threads).output().unwrap().stdout
}

#[test]
fn the_output_is_the_same_at_any_number_of_threads() {
    let folder = tempfile::tempdir().unwrap();
    let site = folder.path().join("site");
    let site = site.to_str().unwrap();
    assert_eq!(new(site, &format!("{FOUR_PODS} --faults 5 --seed 1")).0, 0);
    // A slip in several files, so that faults come from several of them.
    for pod in 1..=4 {
        let path = format!("{site}/pods/pod-0{pod}.toml");
        let text = std::fs::read_to_string(&path).unwrap().replacen("group =", "gruop =", 3);
        std::fs::write(path, text).unwrap();
    }
    let file = format!("{site}/fabric.toml");
    for arguments in [
        &["check", STORMY][..],
        &["check", STORMY, "--format", "json"],
        &["check", &file, "--format", "json"],
        &["check", &file],
        &["sheet", "lags", &file],
        &["sheet", "underlay-routes", &file, "--of", "leaf-1-01a"],
        &["sheet", "evpn-routes", &file, "--of", "leaf-1-01a"],
        &["topology", &file, "--format", "rfc8345"],
    ] {
        let one = with_threads("1", arguments);
        assert!(!one.is_empty());
        for threads in ["2", "7"] {
            assert!(
                one == with_threads(threads, arguments),
                "{arguments:?} with {threads} threads"
            );
        }
    }
}

/// Ctrl-C at any time leaves the whole file or none, and nothing beside it.
#[cfg(unix)]
#[test]
fn an_interrupted_program_leaves_nothing_half_written() {
    let folder = tempfile::tempdir().unwrap();
    let site = folder.path().join("site");
    let numbers: Vec<_> =
        "--pods 8 --pairs 32 --spines 4 --super-spines 4 --hosts 8000 --tenants 64 --segments 2000"
            .split(' ')
            .collect();
    // From the start of the program to after its end, so that some of the interruptions fall on the writing.
    for delay in (0..).step_by(15) {
        let mut child = felting(&[&["new", site.to_str().unwrap()], &numbers[..]].concat())
            .stdout(Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(std::time::Duration::from_millis(delay));
        // The child may be done already.
        Command::new("kill").args(["-INT", &child.id().to_string()]).output().unwrap();
        let done = child.wait().unwrap().success();
        let left: Vec<_> =
            std::fs::read_dir(folder.path()).unwrap().map(|e| e.unwrap().path()).collect();
        assert!(left.iter().all(|path| *path == site), "{left:?}");
        if site.exists() {
            assert_eq!(Disk::new(&site).list("").unwrap().len(), 10, "{delay} ms");
            std::fs::remove_dir_all(&site).unwrap();
        }
        if done {
            break;
        }
    }
}
