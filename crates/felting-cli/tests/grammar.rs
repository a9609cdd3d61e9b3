//! One grammar: what works in one command works in all that can answer it, and what has no effect is refused.

#![allow(clippy::unwrap_used, reason = "tests")]

use std::fmt::Write as _;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

const CLEAN: &str = "demo/saltmarsh";
const STORMY: &str = "demo/saltmarsh-stormy";

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn felting(folder: &Path, arguments: &[&str]) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_felting"));
    command.current_dir(folder).args(arguments).env("COLUMNS", "100").env_remove("NO_COLOR");
    command
}

fn run_in(folder: &Path, arguments: &[&str]) -> (i32, String, String) {
    let output = felting(folder, arguments).output().unwrap();
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (output.status.code().unwrap(), text(&output.stdout), text(&output.stderr))
}

fn run(arguments: &[&str]) -> (i32, String, String) {
    run_in(&root(), arguments)
}

/// A folder, its file, standard input and the default are one fabric to every command that reads one.
#[test]
fn the_fabric_is_named_alike_everywhere() {
    let inside = root().join(CLEAN);
    for command in [
        &["check"][..],
        &["sheet", "lags"],
        &["walk", "web-1", "solver-2"],
        &["where", "kelp-a"],
        &["draw", "cabling"],
        &["topology"],
    ] {
        let by_default = run_in(&inside, command);
        assert_eq!(by_default.0, 0, "{command:?}: {}", by_default.2);
        let with = |file: &str| run_in(&inside, &[command, &[file]].concat());
        assert_eq!(with("fabric.toml").1, by_default.1, "{command:?}");
        assert_eq!(with(".").1.replace("./", ""), by_default.1, "{command:?}");
        let mut child = felting(&inside, &[command, &["-"]].concat())
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let text = std::fs::read(inside.join("fabric.toml")).unwrap();
        child.stdin.take().unwrap().write_all(&text).unwrap();
        let piped = child.wait_with_output().unwrap();
        let piped = String::from_utf8_lossy(&piped.stdout).replace("<stdin>", "fabric.toml");
        assert_eq!(piped.replace("./", ""), by_default.1, "{command:?}");
    }
}

/// What is wrong in a command line is said in its own words, with what to do.
#[test]
fn wrong_command_lines() {
    let empty = tempfile::tempdir().unwrap();
    let complaints = [
        &["check"][..],
        &["chek"],
        &["check", "--fromat", "json"],
        &["check", "--format", "xml"],
        &["check", "--day", "tomorrow"],
        &["check", "--deny", "errors"],
        &["check", "--only", "lga"],
        &["check", "--width", "20"],
        &["check", "--of", "kelp-a"],
        &["check", "--format", "json", "--quiet"],
        &["walk", "web-1"],
        &["sheet", "lag"],
        &["sheet", "matrix", "--cut", "kelp-a"],
        &["sheet", "lags", "--move", "web-1 to hull-04"],
        &["sheet", "evpn-routes"],
        &["draw", "tree", "--move", "web-1 to hull-04"],
        &["draw", "cabling", "--only", "lag"],
        &["draw", "walk", "--from", "web-1", "--to", "web-2", "--of", "kelp"],
        &["draw", "cabling", "-o", "fabric.gif"],
        &["topology", "--format", "rfc8345", "--of", "kelp"],
        &["explain", "--cut", "kelp-a"],
        &["explain", "mtuu"],
        &["demo", "kelp-a", "crest-1"],
    ];
    let mut page = String::new();
    for words in complaints {
        let (code, out, error) = run_in(empty.path(), words);
        assert_eq!(code, 2, "{words:?}: {out}");
        writeln!(page, "felting {}\n  {}", words.join(" "), error.trim_end()).unwrap();
    }
    insta::assert_snapshot!(page);
}

/// The findings as things are with something down, in every form that tells them.
#[test]
fn with_something_down() {
    let (code, out, _) = run(&["check", CLEAN, "--cut", "kelp-a", "--quiet"]);
    assert_eq!(code, 1);
    assert!(out.starts_with("saltmarsh with kelp-a cut: "), "{out}");
    // What is off has no session and is no VTEP, as was asked; who is cut off by it is told.
    let found = run(&["check", CLEAN, "--cut", "kelp-a", "--format", "line"]).1;
    assert!(found.lines().all(|line| line.ends_with("[expect-failed]")), "{found}");
    let apart = run(&[
        "check",
        CLEAN,
        "--cut",
        "crest-1",
        "--cut",
        "cable kelp-a p50",
        "--cut",
        "peer link of kelp",
    ])
    .1;
    assert!(apart.contains("the last way is down with"), "{apart}");
    let json =
        run(&["check", CLEAN, "--cut", "kelp-a", "--move", "web-1 to hull-04", "--format", "json"])
            .1;
    let page: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!(page["down"], serde_json::json!(["kelp-a cut", "web-1 to hull-04 moved"]));
    for view in ["cabling", "overlay", "tenants", "tree"] {
        let whole = run(&["draw", view, CLEAN]).1;
        let cut =
            run(&["draw", view, CLEAN, "--cut", "inlet-a", "--cut", "inlet-b", "--cut", "jetty"]).1;
        assert_ne!(whole, cut, "{view}");
    }
    assert!(run(&["topology", CLEAN, "--cut", "kelp-a"]).1.contains("\"kelp-a\" [style=dashed]"));
}

/// Expectations are judged on top of what is down, and the command that shows the walk is whole.
#[test]
fn an_expectation_that_fails_with_something_down_is_shown_by_what_is_said() {
    let out = run(&["check", CLEAN, "--cut", "kelp-a", "--only", "expect"]).1;
    let command = "felting walk web-1 web-2 demo/saltmarsh/fabric.toml --all --cut kelp-a --cut 'cable hull-01 nic2'";
    let said: String = out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(said.contains(command), "{out}");
    let walk = [
        "walk",
        "web-1",
        "web-2",
        CLEAN,
        "--all",
        "--cut",
        "kelp-a",
        "--cut",
        "cable hull-01 nic2",
    ];
    assert_eq!(run(&walk).0, 1);
}

#[test]
fn only_what_is_asked_for() {
    let lines = |arguments: &[&str]| {
        let all = [&["check", STORMY, "--format", "line"], arguments].concat();
        run(&all).1.lines().count()
    };
    let (all, lags) = (lines(&[]), lines(&["--only", "lag"]));
    assert_eq!(lags + lines(&["--skip", "lag"]), all);
    assert!(lags > lines(&["--only", "lag", "--about", "jetty"]));
    assert_eq!(lines(&["--only", "lag-protocol-clash"]), 1);
    // A family that is left out is said, not hidden.
    let sum = run(&["check", STORMY, "--only", "lag", "--quiet"]).1;
    assert!(sum.contains(&format!("{} not asked for", all - lags)), "{sum}");
    // The rows of sheets, by whatever names a part of the fabric.
    let rows = |of: &[&str]| {
        let of: Vec<&str> = of.iter().flat_map(|name| ["--of", *name]).collect();
        let all = [&["sheet", "lags", CLEAN, "--format", "csv"], &of[..]].concat();
        run(&all).1.lines().count() - 1
    };
    assert_eq!(rows(&["kelp"]), rows(&["kelp-a"]) + rows(&["kelp-b"]));
    assert_eq!(rows(&["kelp-*", "jetty"]), rows(&["kelp"]) + rows(&["jetty"]));
    assert_eq!(rows(&["hull-01"]), 1);
    // Drawings and the report too, with what the part hangs on; what it has none of is said.
    let drawn = run(&["draw", "cabling", CLEAN, "--of", "kelp"]).1;
    assert!(drawn.contains(">crest-1<") && !drawn.contains(">dune-a<"), "{drawn}");
    let report = run(&["report", STORMY, "--of", "mud-*"]).1;
    let findings = run(&["check", STORMY, "--about", "mud-*", "--format", "line"]).1;
    assert_eq!(report.matches(" id=\"finding-").count(), findings.lines().count());
    let (code, _, error) = run(&["draw", "overlay", CLEAN, "--of", "gauge-1"]);
    assert_eq!(code, 2);
    assert!(error.contains("what is asked for has no VTEP to draw"), "{error}");
    let of_vrf = run(&["sheet", "segments", CLEAN, "--of", "tides", "--format", "csv"]).1;
    assert!(of_vrf.lines().skip(1).all(|line| line.contains(",tides,")), "{of_vrf}");
}

/// A baseline: what is new makes the exit code, what is gone is listed, and the rest is counted.
#[test]
fn what_has_changed_since() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let (baseline, variant) = (file("baseline.json"), file("better.toml"));
    assert_eq!(run(&["check", STORMY, "--format", "json", "-o", &baseline]).0, 1);
    let (code, out, _) = run(&["check", STORMY, "--baseline", &baseline]);
    assert_eq!(code, 0);
    assert!(out.contains("nothing new, 0 gone, 66 as before"), "{out}");
    // One fault mended, one made: lines move, and the others stay known.
    std::fs::write(
        &variant,
        "# a line\n# and another\n[[lag]]\non = \"jetty\"\nname = \"reed\"\nprotocol = \"lacp\"\n\
         [[port]]\non = \"kelp-a\"\nports = \"p50\"\nenabled = false\n",
    )
    .unwrap();
    let asked = ["check", STORMY, "--with", &variant, "--baseline", &baseline];
    let (code, out, _) = run(&asked);
    assert_eq!(code, 1);
    assert!(out.contains("gone error[lag-protocol-clash]"), "{out}");
    assert!(out.contains("error[port-down-in-use]"), "{out}");
    let json = run(&[&asked[..], &["--format", "json"]].concat()).1;
    let page: serde_json::Value = serde_json::from_str(&json).unwrap();
    let new = page["findings"].as_array().unwrap().iter().filter(|one| one["new"] == true).count();
    assert_eq!(page["since"]["new"], new);
    // What nobody asks for is not gone.
    let lags = run(&["check", STORMY, "--baseline", &baseline, "--only", "lag", "--quiet"]).1;
    assert!(lags.contains("nothing new, 0 gone, 12 as before"), "{lags}");
    let both = file("both.json");
    run(&["check", CLEAN, STORMY, "--format", "json", "-o", &both]);
    assert_eq!(run(&["check", CLEAN, STORMY, "--baseline", &both]).0, 0);
    let error = run(&["check", STORMY, "--baseline", &variant]).2;
    assert!(error.contains("is no baseline"), "{error}");
}

#[test]
fn several_fabrics_at_once() {
    let (code, out, _) = run(&["check", CLEAN, STORMY, "--quiet"]);
    assert_eq!((code, out.lines().count()), (1, 2));
    let json = run(&["check", CLEAN, STORMY, "--format", "json"]).1;
    let page: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!(page["fabrics"][1]["file"], "demo/saltmarsh-stormy/fabric.toml");
    let sarif = run(&["check", CLEAN, STORMY, "--format", "sarif"]).1;
    let page: serde_json::Value = serde_json::from_str(&sarif).unwrap();
    assert_eq!(page["runs"].as_array().unwrap().len(), 2);
    assert_eq!(run(&["check", CLEAN, STORMY, "--deny", "never"]).0, 0);
    assert_eq!(run(&["check", CLEAN, "no-such.toml", "--deny", "never"]).0, 2);
}

#[test]
fn what_a_name_means() {
    insta::assert_snapshot!(run(&["where", "kelp-a", CLEAN]).1);
    let (code, _, error) = run(&["where", "klp-a", CLEAN]);
    assert_eq!(
        (code, error.trim_end()),
        (1, "nothing in the fabric is called klp-a; did you mean kelp-a?")
    );
    for (name, expected) in [
        ("kelp", "a pair"),
        ("jetty", "a stack"),
        ("tides-web", "a segment"),
        ("tides", "a VRF"),
        ("web-1", "an endpoint"),
        ("campus", "a network outside"),
        ("10.64.8.11", "a loopback of kelp-a"),
        ("10.80.31.1", "the gateway of the segment tides-web"),
        ("23310", "a segment"),
        ("27001", "a VRF"),
    ] {
        let (code, out, error) = run(&["where", name, CLEAN]);
        assert!(code == 0 && out.contains(expected), "{name}: {out}{error}");
    }
    let json = run(&["where", "kelp-a", CLEAN, "--format", "json"]).1;
    let page: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!(page["things"][0]["at"]["line"], 37);
}

#[test]
fn rules_by_their_words() {
    let listed = run(&["explain", "mtu"]).1;
    assert!(listed.contains("port-mtu-clash") && listed.contains("site-wan-mtu"), "{listed}");
    let family: serde_json::Value =
        serde_json::from_str(&run(&["explain", "dhcp", "--format", "json"]).1).unwrap();
    assert_eq!(family.as_array().unwrap().len(), 5);
    let one: serde_json::Value =
        serde_json::from_str(&run(&["explain", "dhcp-router-wrong", "--format", "json"]).1)
            .unwrap();
    assert_eq!(one["family"], "dhcp");
    let topics = run(&["sheet"]).1;
    let topics: Vec<&str> = topics
        .lines()
        .filter(|line| line.starts_with("  "))
        .filter_map(|line| line.split_whitespace().next())
        .collect();
    assert_eq!(topics.len(), felting_view::sheet::Topic::ALL.len());
    for topic in topics {
        let (code, _, error) = run(&["sheet", topic, CLEAN, "--of", "kelp-a"]);
        assert_eq!(code, 0, "{topic}: {error}");
    }
}

/// A shell is offered the names of the fabric that the command line is about.
#[test]
fn names_are_completed() {
    let offered = |words: &[&str]| {
        let output = felting(&root(), &[])
            .env("COMPLETE", "bash")
            .env("_CLAP_COMPLETE_INDEX", (words.len() - 1).to_string())
            .env("_CLAP_IFS", "\n")
            .arg("--")
            .args(words)
            .output()
            .unwrap();
        String::from_utf8_lossy(&output.stdout).lines().map(str::to_owned).collect::<Vec<_>>()
    };
    assert_eq!(
        offered(&["felting", "walk", "web-1", "solver-2", CLEAN, "--cut", "kelp-"]),
        ["kelp-a", "kelp-b"]
    );
    assert_eq!(
        offered(&["felting", "sheet", "lags", CLEAN, "--of", "tides-s"]),
        ["tides-solver", "tides-store"]
    );
    assert_eq!(offered(&["felting", "check", CLEAN, "--only", "dhcp-c"]), ["dhcp-covers-gateway"]);
    let topics = offered(&["felting", "sheet", "flo"]);
    assert_eq!(topics, ["flood-lists"]);
    for shell in ["bash", "zsh", "fish"] {
        let script = run(&["completions", shell]).1;
        assert!(script.contains("COMPLETE"), "{shell}: {script}");
    }
}

#[test]
fn pages_for_man_and_what_was_built() {
    let folder = tempfile::tempdir().unwrap();
    let pages = folder.path().join("pages");
    let (code, out, _) = run(&["man", pages.to_str().unwrap()]);
    assert!(code == 0 && out.starts_with("wrote 14 pages"), "{out}");
    let check = std::fs::read_to_string(pages.join("felting-check.1")).unwrap();
    assert!(check.contains("felting check") && check.contains("baseline"), "{check}");
    let version = run(&["--version"]).1;
    assert!(version.starts_with("felting 0.1.0 (") && version.contains("linux"), "{version}");
}

/// An answer goes to a file as it would be printed, and both spellings of colour are one option.
#[test]
fn answers_go_where_they_are_sent() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("answer").to_str().unwrap().to_owned();
    for command in [
        &["check", CLEAN][..],
        &["sheet", "pairs", CLEAN],
        &["walk", "web-1", "solver-2", CLEAN],
        &["where", "kelp-a", CLEAN],
        &["topology", CLEAN],
        &["schema"],
    ] {
        let printed = run(command).1;
        assert_eq!(run(&[command, &["-o", "-"]].concat()).1, printed, "{command:?}");
        let (code, out, error) = run(&[command, &["-o", &file]].concat());
        assert_eq!((code, out.as_str()), (0, ""), "{command:?}");
        assert_eq!(error, format!("wrote {file}\n"));
        assert_eq!(std::fs::read_to_string(&file).unwrap(), printed, "{command:?}");
    }
    for spelt in ["--colour", "--color"] {
        assert!(run(&["check", CLEAN, spelt, "always"]).0 == 0, "{spelt}");
    }
    let widest = |width: &str| {
        let sheet = run(&["sheet", "lags", CLEAN, "--width", width]).1;
        sheet
            .lines()
            .filter(|line| line.starts_with(' '))
            .map(|line| line.chars().count())
            .max()
            .unwrap()
    };
    assert!(
        widest("80") <= 80 && widest("80") < widest("120"),
        "{} {}",
        widest("80"),
        widest("120")
    );
}

/// What files accept and switch off is seen by whoever runs it, and can be left out of account.
#[test]
fn a_file_does_not_hide_its_own_faults() {
    let folder = tempfile::tempdir().unwrap();
    let off = folder.path().join("off.toml");
    let rules = run(&["explain", "--format", "json"]).1;
    let rules: serde_json::Value = serde_json::from_str(&rules).unwrap();
    let rules = rules.as_array().unwrap().iter().filter(|rule| rule["family"] != "input");
    let always = ["accept-unbounded", "accept-family-off"];
    let ids = rules.filter_map(|rule| rule["id"].as_str()).filter(|id| !always.contains(id));
    let ids: Vec<&str> = ids.collect();
    let text: String = std::iter::once("[severities]\n".to_owned())
        .chain(ids.iter().map(|id| format!("{id} = \"off\"\n")))
        .collect();
    std::fs::write(&off, text).unwrap();
    let with = ["check", STORMY, "--with", off.to_str().unwrap()];
    let (code, out, _) = run(&[&with[..], &["--quiet"]].concat());
    // A hint for each family of which all is off.
    assert!(code == 0 && out.contains(&format!("{} rules off", ids.len())), "{out}");
    assert!(out.contains("21 hints"), "{out}");
    let sarif = run(&[&with[..], &["--format", "sarif"]].concat()).1;
    assert_eq!(sarif.matches("\"enabled\": false").count(), ids.len());
    let json = run(&[&with[..], &["--format", "json"]].concat()).1;
    let page: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!(page["rules_off"].as_array().unwrap().len(), ids.len());
    let junit = run(&[&with[..], &["--format", "junit"]].concat()).1;
    assert_eq!(junit.matches("switched off by the fabric").count(), ids.len());
    let all = run(&["check", STORMY, "--ignore-severities", "--quiet"]).1;
    let found = run(&[&with[..], &["--ignore-severities", "--quiet"]].concat()).1;
    assert_eq!(found, all);
    let (code, out, _) = run(&["check", CLEAN, "--ignore-accepts", "--quiet"]);
    assert!(code == 0 && out.contains("12 hints") && !out.contains("accepted"), "{out}");
}
