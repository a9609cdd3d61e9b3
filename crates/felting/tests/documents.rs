//! What is generated from the list of keys: the JSON Schema and the reference of the language.
//!
//! `UPDATE_DOCS=1 cargo test -p felting --test documents` writes them anew.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::path::PathBuf;

use felting::json_schema;
use felting::source::{Disk, Files as _, reference};
use serde_json::Value as Json;

fn root() -> PathBuf {
    PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../.."))
}

fn updating() -> bool {
    std::env::var_os("UPDATE_DOCS").is_some()
}

#[test]
fn the_shipped_schema_is_the_readers() {
    let path = root().join("schema/fabric.schema.json");
    let wanted = format!("{:#}\n", json_schema());
    if updating() {
        std::fs::write(&path, &wanted).unwrap();
    }
    let shipped = std::fs::read_to_string(&path).unwrap();
    assert_eq!(shipped, wanted, "the keys have changed: UPDATE_DOCS=1 writes the schema anew");
}

#[test]
fn the_reference_lists_the_readers_keys() {
    let path = root().join("docs/language.md");
    let page = std::fs::read_to_string(&path).unwrap();
    let (mark, end) = ("<!-- generated: keys -->\n", "<!-- generated: end -->");
    let (before, rest) = page.split_once(mark).unwrap();
    let (shipped, after) = rest.split_once(end).unwrap();
    let wanted = format!("\n{}", reference());
    if updating() {
        std::fs::write(&path, format!("{before}{mark}{wanted}{end}{after}")).unwrap();
    } else {
        assert_eq!(shipped, wanted, "the keys have changed: UPDATE_DOCS=1 writes the page anew");
    }
}

/// A TOML text as JSON, the way an editor's schema check sees it.
fn as_json(text: &str) -> Json {
    fn json(value: toml::Value) -> Json {
        match value {
            toml::Value::String(text) => text.into(),
            toml::Value::Integer(number) => number.into(),
            toml::Value::Float(number) => number.into(),
            toml::Value::Boolean(truth) => truth.into(),
            toml::Value::Datetime(date) => date.to_string().into(),
            toml::Value::Array(list) => list.into_iter().map(json).collect(),
            toml::Value::Table(table) => {
                Json::Object(table.into_iter().map(|(key, value)| (key, json(value))).collect())
            }
        }
    }
    json(toml::Value::Table(text.parse().unwrap()))
}

#[test]
fn both_demo_fabrics_and_all_examples_keep_to_the_schema() {
    let schema = jsonschema::validator_for(&json_schema()).unwrap();
    let disk = Disk::new(root().join("demo"));
    let mut count = 0;
    for path in disk.list("").unwrap().iter().filter(|path| path.rsplit('.').next() == Some("toml"))
    {
        let text = String::from_utf8(disk.read(path).unwrap()).unwrap();
        let json = as_json(&text);
        let errors: Vec<_> = schema.iter_errors(&json).map(|error| error.to_string()).collect();
        assert!(errors.is_empty(), "{path}: {errors:#?}");
        count += 1;
    }
    assert_eq!(count, 20, "the demo files were found");
    for rule in felting::rules::all() {
        assert!(schema.is_valid(&as_json(rule.broken)), "{}", rule.id);
        assert!(schema.is_valid(&as_json(&rule.mended())), "{}", rule.id);
    }
}

#[test]
fn what_the_reader_refuses_the_schema_refuses_too() {
    let schema = jsonschema::validator_for(&json_schema()).unwrap();
    for text in [
        "[[switch]]\nnmae = \"kelp-a\"",
        "[[switch]]\nnumber = 1",
        "[[lag]]\non = \"kelp-a\"\nname = \"x\"\nports = \"p1\"\nprotocol = \"lcap\"",
        "[[lag]]\non = \"kelp-a\"\nname = \"x\"\nports = \"p1\"\ndiffers = [{ on = \"kelp-a\", name = \"y\" }]",
        "[[segment]]\nname = \"x\"\nvlan = 4095",
        "[[pair]]\nname = \"x\"\n[[pair.side]]\ndomain = 1",
        "[severities]\nlag-vlan-clash = \"loud\"",
        "[cabling]\nruns = \"kelp-a p1\"",
    ] {
        assert!(!schema.is_valid(&as_json(text)), "{text}");
        assert!(!felting::Fabric::from_text("f.toml", text).is_complete(), "{text}");
    }
}

#[test]
fn the_fabric_of_the_page_about_tunnels_is_sound() {
    let page = std::fs::read_to_string(root().join("docs/tunnels.md")).unwrap();
    let text = page.split("```toml\n").nth(1).and_then(|rest| rest.split("```").next()).unwrap();
    let fabric = felting::Fabric::from_text("tunnels.toml", text).complete().unwrap();
    let told: Vec<&str> = fabric.check().findings.iter().map(|finding| finding.rule.id).collect();
    assert_eq!(told, ["uplink-single-nic", "uplink-single-nic"], "what the page says of it");
    for rule in felting::rules::all().filter(|rule| rule.id.starts_with("tunnel-")) {
        assert!(page.contains(&format!("`{}`", rule.id)), "{} is on the page", rule.id);
    }
}
