//! What is done with bytes from outside, whoever brings them: a fuzzer, or a test that replays what one has kept.

use felting::diagnostic::is_hostile;
use felting::fabric::Selection;
use felting::rules::Wanted;
use felting::source::Memory;
use felting::{Condition, Fabric, Progress, State};
use felting_view::sheet::{Format, Sheet, Topic};
use felting_view::{Checked, Style};

/// Any bytes as a fabric file: read, compiled, checked, and every place of a fault told.
pub fn fabric_file(bytes: &[u8]) {
    let mut files = Memory::default();
    files.insert("fabric.toml", bytes);
    let fabric = Fabric::from_files(&files, "fabric.toml");
    for fault in fabric.faults() {
        let _ = fabric.sources().location(fault.at());
    }
    for finding in fabric.check().findings {
        let _ = fabric.sources().location(finding.what.primary.span);
    }
}

const ROOT: &str = r#"
[[switch]]
name = "kelp-[a-b]"
ports = ["p[1-8] 25G", "p9 4x25G"]
[[host]]
name = "hull-[01-02]"
nics = "nic[1-2] 25G"
[cabling]
csv = "cables.csv"
"#;

/// Any bytes as a cable list between a few switches and hosts.
pub fn cable_list(bytes: &[u8]) {
    let mut files = Memory::default();
    files.insert("fabric.toml", ROOT);
    files.insert("cables.csv", bytes);
    let fabric = Fabric::from_files(&files, "fabric.toml");
    for fault in fabric.faults() {
        let _ = fabric.sources().location(fault.at());
    }
    fabric.check();
}

/// Any text where names, ranges, patterns, ports and cable runs are read.
pub fn ranges(text: &str) {
    let text = toml::Value::String(text.to_owned());
    let file = format!(
        "[[switch]]\nname = \"kelp-[a-b]\"\nports = [\"p[1-8] 25G\", {text}]\n\
         [[switch]]\nname = {text}\nports = \"p[1-2] 25G\"\n\
         [[lag]]\non = [\"kelp-a\", {text}]\nname = \"across\"\nports = [\"p1\", {text}]\ntagged = {text}\n\
         [[segment]]\nname = \"tides\"\nvlan = 310\non = {text}\n\
         differs = [{{ on = {text}, vlan = 311 }}]\n\
         [cabling]\nruns = [{text}, \"kelp-a p1 -- kelp-b p1\"]\n"
    );
    let fabric = Fabric::from_text("ranges.toml", &file);
    for fault in fabric.faults() {
        let _ = fabric.sources().location(fault.at());
    }
}

/// Any texts, a line each, wherever a fabric file takes one, in every form that something is told in: what comes out parses, and holds
/// no raw control character and no mark of direction.
pub fn renderers(texts: &str) {
    let mut texts = texts.split('\n').map(|text| toml::Value::String(text.to_owned()).to_string());
    let mut next = || texts.next().unwrap_or_else(|| "\"\"".to_owned());
    let file = format!(
        "[fabric]\nname = {}\n[[switch]]\nname = \"kelp-[a-b]\"\nports = \"p[1-4] 10G\"\nrack = {}\n\
         position = {}\nsoftware = {}\n[[host]]\nname = \"gauge-1\"\nnics = \"nic1 10G\"\n\
         [[accept]]\nrule = \"uplink-single-nic\"\non = \"gauge-1\"\nreason = {}\n\
         [[vrf]]\nname = {}\n[[tree]]\non = \"kelp-*\"\nmode = \"mstp\"\nregion = {}\n\
         [cabling]\nruns = [{{ run = \"kelp-a p1 -- kelp-b p1\", label = {} }}, \"gauge-1 nic1 -- kelp-a p2\"]\n",
        next(),
        next(),
        next(),
        next(),
        next(),
        next(),
        next(),
        next(),
    );
    let mut files = Memory::default();
    files.insert("fabric.toml", file);
    let fabric = Fabric::from_files(&files, "fabric.toml");
    let quiet = Progress::default();
    let state = State::of(&fabric, &Condition::default(), &quiet);
    let found = state.check(None, &quiet);
    let checked = [Checked::new(&fabric, &found)];
    let json = |text: &str| serde_json::from_str::<serde_json::Value>(text).expect("JSON");
    json(&held(felting_view::findings_json(&checked, &quiet)));
    json(&held(felting_view::findings_sarif(&checked, &quiet)));
    json(&held(felting_view::topology_rfc8345(&state, &quiet)));
    xml(&held(felting_view::findings_junit(&checked, None, &quiet)));
    held(felting_view::findings(&checked[0], Style::PLAIN, &quiet));
    held(felting_view::topology_dot(&state, None, &quiet));
    for topic in [Topic::Cables, Topic::Tree, Topic::Segments] {
        let sheet = Sheet::of(topic, &state, None, &quiet);
        for format in [Format::Table, Format::Csv, Format::Json, Format::Markdown] {
            held(sheet.render(format, Style::PLAIN, &quiet));
        }
    }
    if let Ok(drawing) = felting_draw::cabling(&state, None) {
        xml(&held(drawing.with_findings(&found).svg(felting_draw::Theme::Light)));
    }
    held(felting_draw::report(
        &felting_draw::Reported {
            state: &state,
            only: None,
            report: &found,
            failures: &[],
            down: &[],
            left_out: 0,
            day: "",
        },
        &quiet,
    ));
}

/// Any text as somebody asks by it: what to cut, to move, to walk, to find, to leave out, or to compare with.
pub fn asked(text: &str) {
    let fabric = Fabric::from_text("asked.toml", ASKED);
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    let conditions =
        [Condition::default().cut(&fabric, text), Condition::default().moving(&fabric, text)];
    for condition in conditions.into_iter().flatten() {
        state.given(&condition).check(None, &Progress::default());
    }
    let _ = Wanted::default().only([text]);
    let _ = Wanted::default().about([text]);
    let _ = fabric.terminal(text);
    let _ = Selection::of(&fabric, &[text]);
    if let Ok(page) = felting_view::named(&fabric, text) {
        held(page);
    }
    let _ = felting_view::Baseline::read(text);
}

const ASKED: &str = r#"
[[switch]]
name = "kelp-[a-b]"
number = 1
ports = "p[1-4] 25G"
[[pair]]
name = "kelp"
switches = ["kelp-a", "kelp-b"]
peer_link = "peer"
[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[3-4]"
[[host]]
name = "hull-[1-2]"
nics = "nic1 25G"
networks = { name = "web", tag = 310 }
[[endpoint]]
name = "web-1"
host = "hull-1"
network = "web"
address = "10.80.31.21/24"
[cabling]
runs = ["kelp-a p[3-4] -- kelp-b p[3-4]", "hull-1 nic1 -- kelp-a p1", "hull-2 nic1 -- kelp-b p1"]
"#;

fn held(text: String) -> String {
    let raw = text.chars().find(|&one| is_hostile(one) && one != '\n');
    assert_eq!(raw, None, "{text:?}");
    text
}

fn xml(text: &str) {
    let mut reader = quick_xml::Reader::from_str(text);
    loop {
        match reader.read_event() {
            Ok(quick_xml::events::Event::Eof) => return,
            Ok(_) => {}
            Err(error) => panic!("{error}: {text}"),
        }
    }
}
