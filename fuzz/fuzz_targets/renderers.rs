//! Any texts wherever a fabric file takes one, in every form that something is told in: what comes out parses, and holds
//! no raw control character and no mark of direction.

#![no_main]

use felting::diagnostic::is_hostile;
use felting::source::Memory;
use felting::{Condition, Fabric, Progress, State};
use felting_view::sheet::{Format, Sheet, Topic};
use felting_view::{Checked, Style};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|texts: Vec<String>| {
    let mut texts = texts.iter().map(|text| toml::Value::String(text.clone()).to_string());
    let mut next = || texts.next().unwrap_or_else(|| "\"\"".to_owned());
    let file = format!(
        "[fabric]\nname = {}\n[[switch]]\nname = \"kelp-[a-b]\"\nports = \"p[1-4] 10G\"\nrack = {}\n\
         position = {}\nsoftware = {}\n[[host]]\nname = \"gauge-1\"\nnics = \"nic1 10G\"\n\
         [[accept]]\nrule = \"uplink-single-nic\"\non = \"gauge-1\"\nreason = {}\n\
         [[vrf]]\nname = {}\n[[tree]]\non = \"kelp-*\"\nmode = \"mstp\"\nregion = {}\n\
         [cabling]\nruns = [{{ run = \"kelp-a p1 -- kelp-b p1\", label = {} }}, \"gauge-1 nic1 -- kelp-a p2\"]\n",
        next(), next(), next(), next(), next(), next(), next(), next(),
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
});

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
