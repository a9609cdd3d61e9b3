//! Everything as people see it: each rule's example, input faults, sheets, explanations.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::fmt::Write as _;
use std::path::Path;

use felting::fabric::Selection;
use felting::source::{Disk, Files, Memory};
use felting::{Condition, Fabric, Progress, Report, State, rules};
use felting_view::sheet::{Format, Sheet, Topic};
use felting_view::{Checked, Style, findings, findings_json};

/// The day as of which acceptances are judged here.
fn check(fabric: &Fabric) -> Report {
    State::of(fabric, &Condition::default(), &Progress::default())
        .check(Some(jiff::civil::date(2026, 11, 24)), &Progress::default())
}

/// A demo fabric, with paths as from the root of the repository.
fn demo(name: &str) -> Fabric {
    let disk = Disk::new(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo"));
    let mut files = Memory::default();
    for path in disk.list("").unwrap() {
        files.insert(format!("demo/{path}"), disk.read(&path).unwrap());
    }
    Fabric::from_files(&files, &format!("demo/{name}/fabric.toml"))
}

#[test]
fn each_rule_on_its_broken_example() {
    for rule in rules::all() {
        let fabric = Fabric::from_text("broken.toml", rule.broken.trim_start());
        insta::assert_snapshot!(
            rule.id,
            findings(&Checked::new(&fabric, &check(&fabric)), Style::PLAIN, &Progress::default())
        );
    }
}

#[test]
fn the_demo_fabrics() {
    let clean = demo("saltmarsh");
    assert!(clean.is_complete());
    let report = check(&clean);
    assert!(report.findings.is_empty(), "the clean fabric is silent: {:#?}", report.findings);
    assert!(report.accepted.iter().all(|accepted| !accepted.reason.is_empty()));
    insta::assert_snapshot!(
        "saltmarsh",
        findings(&Checked::new(&clean, &report), Style::PLAIN, &Progress::default())
    );

    let stormy = demo("saltmarsh-stormy");
    assert!(stormy.is_complete());
    let report = check(&stormy);
    for family in rules::all().map(felting::Rule::family) {
        let found = report.findings.iter().any(|finding| finding.rule.family() == family);
        assert!(found, "the stormy fabric has no fault of the family {family}");
    }
    let drawn = findings(&Checked::new(&stormy, &report), Style::PLAIN, &Progress::default());
    let readme = include_str!("../../../README.md");
    let shown = readme.split("```text\n").nth(1).and_then(|rest| rest.split("```").next()).unwrap();
    assert!(
        drawn.contains(shown.trim_end()),
        "the README shows a finding as it is drawn:\n{shown}"
    );
    insta::assert_snapshot!("stormy", drawn);
}

#[test]
fn findings_for_programs() {
    let text = "[fabric]\nname = \"shore\"\n[[switch]]\nname = 1\n[[host]]\nname = \"gauge-1\"\nnics = \"nic1 1G\"\n\
        [[host]]\nname = \"gauge-2\"\nnics = \"nic1 1G\"\n[cabling]\nruns = \"gauge-1 nic1 -- gauge-2 nic1\"\n\
        [[accept]]\nrule = \"uplink-single-nic\"\non = \"gauge-2\"\nreason = \"old\"\nuntil = 2027-01-31\n";
    let fabric = Fabric::from_text("shore.toml", text);
    insta::assert_snapshot!(findings_json(
        &[Checked::new(&fabric, &check(&fabric))],
        &Progress::default()
    ));
}

#[test]
fn input_faults_and_findings_together() {
    let text =
        format!("{}\n[[swich]]\nname = \"x\"\n", rules::find("lag-mode-deadlock").unwrap().broken);
    let fabric = Fabric::from_text("shore.toml", text.trim_start());
    insta::assert_snapshot!(
        "incomplete",
        findings(&Checked::new(&fabric, &check(&fabric)), Style::PLAIN, &Progress::default())
    );
    let gone = Fabric::from_path("no/such/fabric.toml");
    insta::assert_snapshot!(
        "gone",
        findings(&Checked::new(&gone, &check(&gone)), Style::PLAIN, &Progress::default())
    );
}

#[test]
fn sheets_of_the_demo_fabrics() {
    let wide = Style { colour: false, width: 200 };
    for name in ["saltmarsh", "saltmarsh-stormy"] {
        let fabric = demo(name);
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        for (topic, word, _) in Topic::ALL {
            let sheet = match topic.is_of_switches() {
                true => Sheet::of(
                    *topic,
                    &state,
                    Some(&Selection::of(&fabric, &["dune-a"]).unwrap()),
                    &Progress::default(),
                ),
                false => Sheet::of(*topic, &state, None, &Progress::default()),
            };
            let sheet = sheet.render(Format::Table, wide, &Progress::default());
            insta::assert_snapshot!(format!("{name}-{word}"), sheet);
        }
    }
}

#[test]
fn what_pairs_and_stacks_do_when_something_is_cut() {
    let fabric = demo("saltmarsh");
    let cut = |things: &[&str]| {
        let down =
            things.iter().fold(Condition::default(), |down, what| down.cut(&fabric, what).unwrap());
        State::of(&fabric, &down, &Progress::default())
    };
    let mut page = String::new();
    for (topic, things) in [
        (Topic::Pairs, &["peer link of kelp"][..]),
        (Topic::Pairs, &["peer link of kelp", "keepalive of kelp"]),
        (Topic::Pairs, &["kelp-a"]),
        (Topic::Pairs, &["kelp-b hull-01"]),
        (Topic::Stacks, &["jetty 1/st1"]),
        (Topic::Stacks, &["jetty 1/st1", "jetty 3/st1"]),
        (Topic::Stacks, &["member 1 of jetty"]),
    ] {
        let before = Sheet::of(
            topic,
            &State::of(&fabric, &Condition::default(), &Progress::default()),
            None,
            &Progress::default(),
        );
        let changes =
            before.changes_to(&Sheet::of(topic, &cut(things), None, &Progress::default()));
        let changes = changes.render(Format::Table, Style::PLAIN, &Progress::default());
        let _ = writeln!(page, "without {}\n{changes}", things.join(", "));
    }
    insta::assert_snapshot!("cut", page);
}

#[test]
fn what_an_overlay_does_to_the_tree() {
    let files = Memory::from([
        ("f.toml", rules::find("tree-root-by-accident").unwrap().broken),
        ("o.toml", "[[tree]]\non = \"mud-2\"\npriority = 4096\n"),
    ]);
    let sheet = |layers: &[(&dyn Files, &str)]| {
        let fabric =
            felting::Statements::read(layers, &Progress::default()).compile(&Progress::default());
        Sheet::of(
            Topic::Tree,
            &State::of(&fabric, &Condition::default(), &Progress::default()),
            None,
            &Progress::default(),
        )
    };
    let before = sheet(&[(&files, "f.toml")]);
    let after = sheet(&[(&files, "f.toml"), (&files, "o.toml")]);
    let shown = |sheet: &Sheet| sheet.render(Format::Table, Style::PLAIN, &Progress::default());
    insta::assert_snapshot!(
        "overlay",
        format!("{}\n{}\n{}", shown(&before), shown(&after), shown(&before.changes_to(&after)))
    );
}

#[test]
fn a_sheet_in_every_form() {
    let fabric = Fabric::from_text(
        "shore.toml",
        "[[switch]]\nname = \"kelp-[a-b]\"\n[[segment]]\nname = \"web\"\nvlan = 310\nvni = 23310\non = \"kelp-*\"\n\
         subnet = [\"10.80.31.0/24\", \"2001:db8:80::/64\"]\ndiffers = [{ on = \"kelp-b\", vlan = 311 }]\n",
    );
    let sheet = Sheet::of(
        Topic::Segments,
        &State::of(&fabric, &Condition::default(), &Progress::default()),
        None,
        &Progress::default(),
    );
    let mut page = String::new();
    for format in [Format::Table, Format::Csv, Format::Json, Format::Markdown] {
        let text = sheet.render(format, Style { colour: false, width: 60 }, &Progress::default());
        let _ = writeln!(
            page,
            "-- {format:?}
{text}"
        );
    }
    insta::assert_snapshot!(page);
}

#[test]
fn explanations() {
    insta::assert_snapshot!(felting_view::catalogue());
    let rule = felting_view::explain("uplink-bond-without-lag").unwrap();
    insta::assert_snapshot!("rule", rule);
    let fault = felting_view::explain("input-unequal-run").unwrap();
    insta::assert_snapshot!("fault", fault);
    assert!(felting_view::explain("lag-vlan-clsh").unwrap_err().contains("lag-vlan-clash"));
    assert!(felting_view::explain("pair").unwrap().contains("pair-group-clash"));
}

#[test]
fn the_page_of_rules_is_the_catalogue() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/rules.md");
    let wanted = format!(
        "# Rules\n\nGenerated from the catalogue; `felting explain RULE` tells each one's mechanism.\n\n\
         An **error** loses the traffic that it names or lets it go where it must not, a **warning** works today and\n\
         breaks on the first failure or change, a **hint** is legal and regretted. A finding that breaks an expectation\n\
         is as severe as that. A file sets another severity for a rule, or switches it off, under `[severities]`.\n\n{}",
        felting_view::catalogue_page()
    );
    if std::env::var_os("UPDATE_DOCS").is_some() {
        std::fs::write(&path, &wanted).unwrap();
    }
    let shipped = std::fs::read_to_string(&path).unwrap();
    assert_eq!(shipped, wanted, "the rules have changed: UPDATE_DOCS=1 writes the page anew");
}

/// Texts are not kept: a finding reads the file again, and knows when it is another by now.
#[test]
fn a_file_that_has_changed_since_is_named_without_its_lines() {
    let folder = std::env::temp_dir().join(format!("felting-changed-{}", std::process::id()));
    std::fs::create_dir_all(&folder).unwrap();
    let file = folder.join("fabric.toml");
    let text = "[[switch]]\nname = \"kelp-a\"\nnubmer = 1\n";
    let place = format!("{}:3:1", file.display());
    let drawn = |change: &dyn Fn()| {
        std::fs::write(&file, text).unwrap();
        let fabric = Fabric::from_path(&file);
        change();
        let page =
            findings(&Checked::new(&fabric, &check(&fabric)), Style::PLAIN, &Progress::default());
        assert!(page.contains(&place) && page.contains("did you mean `number`?"), "{page}");
        page.contains("nubmer = 1")
    };
    assert!(drawn(&|| {}));
    for later in ["", "x", &text.replace("nubmer", "number"), &format!("# more\n{text}")] {
        assert!(!drawn(&|| std::fs::write(&file, later).unwrap()), "{later:?}");
    }
    assert!(!drawn(&|| std::fs::remove_file(&file).unwrap()));
    std::fs::remove_dir_all(&folder).unwrap();
}

#[test]
fn a_line_that_nobody_reads_is_not_drawn() {
    let text = format!("switch = [{{ label = \"{}\", nubmer = 1 }}]", "x".repeat(200_000));
    let fabric = Fabric::from_text("wide.toml", &text);
    let page =
        findings(&Checked::new(&fabric, &Report::default()), Style::PLAIN, &Progress::default());
    assert!(page.contains("wide.toml:1:"), "{page}");
    assert!(page.len() < 4000, "{} bytes", page.len());
}

/// What no terminal has room for is left out and said, never broken by it.
#[test]
fn every_sheet_fits_a_terminal() {
    for name in ["saltmarsh", "saltmarsh-stormy"] {
        let fabric = demo(name);
        let quiet = Progress::default();
        let state = State::of(&fabric, &Condition::default(), &quiet);
        let only = Selection::of(&fabric, &["kelp-a"]).unwrap();
        for (topic, ..) in Topic::ALL {
            let sheet = Sheet::of(*topic, &state, Some(&only), &quiet);
            for width in [80, 100, 132] {
                let page = sheet.render(Format::Table, Style { colour: false, width }, &quiet);
                let wide = page.lines().find(|line| line.chars().count() > width);
                assert_eq!(wide, None, "{name}, {topic:?}, {width} columns");
            }
        }
    }
}
