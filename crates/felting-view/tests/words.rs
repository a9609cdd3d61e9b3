//! One word for one thing: rule ids, keys, values and columns against `docs/words.md`.
//!
//! `UPDATE_DOCS=1 cargo test -p felting-view --test words` writes the list of words anew.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::path::Path;

use felting::fabric::Selection;
use felting::{Condition, Fabric, Progress, State, rules};
use felting_view::sheet::{Sheet, Topic};
use serde_json::Value as Json;

/// The names of properties and the values of choices, wherever they stand in a schema.
fn keys_and_values(schema: &Json, keys: &mut BTreeSet<String>, values: &mut BTreeSet<String>) {
    match schema {
        Json::Object(all) => {
            if let Some(Json::Object(properties)) = all.get("properties") {
                keys.extend(properties.keys().cloned());
            }
            if let Some(Json::Array(choices)) = all.get("enum") {
                values.extend(choices.iter().filter_map(Json::as_str).map(str::to_owned));
            }
            let rest = all.iter().filter(|(key, _)| key.as_str() != "enum");
            rest.for_each(|(_, inner)| keys_and_values(inner, keys, values));
        }
        Json::Array(all) => all.iter().for_each(|inner| keys_and_values(inner, keys, values)),
        _ => {}
    }
}

/// The keys of all columns.
fn columns() -> BTreeSet<String> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/saltmarsh");
    let fabric = Fabric::from_path(root);
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    let one = Selection::of(&fabric, &["kelp-a"]).unwrap();
    let sheets = Topic::ALL.iter().filter(|(topic, ..)| *topic != Topic::Matrix);
    sheets
        .flat_map(|(topic, ..)| Sheet::of(*topic, &state, Some(&one), &Progress::default()).columns)
        .map(|column| column.key.into_owned())
        .collect()
}

/// Every word that is used, with where.
fn used() -> BTreeMap<String, BTreeSet<&'static str>> {
    let mut used: BTreeMap<String, BTreeSet<&'static str>> = BTreeMap::new();
    let mut add = |text: &str, place: &'static str| {
        for word in text.split(['-', '_']).filter(|word| word.starts_with(char::is_alphabetic)) {
            used.entry(word.to_owned()).or_default().insert(place);
        }
    };
    let (mut keys, mut values) = (BTreeSet::new(), BTreeSet::new());
    keys_and_values(&felting::json_schema(), &mut keys, &mut values);
    let ids: BTreeSet<&str> = rules::all().map(|rule| rule.id).collect();
    let fixed = values.into_iter().filter(|value| !ids.contains(value.as_str()));
    for (place, texts) in [
        ("rules", ids.iter().map(|&id| id.to_owned()).collect()),
        ("keys", keys.into_iter().collect()),
        ("values", fixed.collect()),
        ("columns", columns().into_iter().collect::<Vec<String>>()),
    ] {
        for text in texts {
            add(&text, place);
        }
    }
    used
}

#[test]
fn every_word_is_one_of_the_list_and_none_is_one_that_is_not_said() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/words.md");
    let page = std::fs::read_to_string(&path).unwrap();
    let used = used();
    let said = |heading: &str| {
        let section = page.split_once(heading).unwrap().1.split("\n## ").next().unwrap();
        section
            .lines()
            .filter_map(|line| line.strip_prefix("| ")?.split(" | ").next())
            .skip(1)
            .map(str::to_owned)
            .collect::<Vec<_>>()
    };
    for word in said("## What is not said") {
        assert!(!used.contains_key(&word), "{word} is said in {:?}", used[&word]);
    }
    // Blanks part words for people; for programs a value is one.
    let (mut keys, mut values) = (BTreeSet::new(), BTreeSet::new());
    keys_and_values(&felting::json_schema(), &mut keys, &mut values);
    let blank: Vec<_> = values.iter().filter(|value| value.contains(' ')).collect();
    assert!(blank.is_empty(), "values with blanks: {blank:?}");
    let mut wanted = String::new();
    for (word, places) in &used {
        let places: Vec<&str> = places.iter().copied().collect();
        writeln!(wanted, "| {word} | {} |", places.join(", ")).unwrap();
    }
    let wanted = format!("\n| word | in |\n|---|---|\n{wanted}\n");
    let (mark, end) = ("<!-- generated: words -->\n", "<!-- generated: end -->");
    let (before, rest) = page.split_once(mark).unwrap();
    let (shipped, after) = rest.split_once(end).unwrap();
    if std::env::var_os("UPDATE_DOCS").is_some() {
        std::fs::write(&path, format!("{before}{mark}{wanted}{end}{after}")).unwrap();
    } else {
        assert_eq!(
            shipped, wanted,
            "there is a new word, or one is gone: UPDATE_DOCS=1 writes the list anew"
        );
    }
}

/// What stands for one thing has one key and one title in all sheets.
#[test]
fn columns_are_called_alike() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/saltmarsh");
    let fabric = Fabric::from_path(root);
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    let all = Selection::of(&fabric, &["*"]).unwrap();
    let mut titles: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (topic, ..) in Topic::ALL.iter().filter(|(topic, ..)| *topic != Topic::Matrix) {
        for column in Sheet::of(*topic, &state, Some(&all), &Progress::default()).columns {
            titles.entry(column.key.into_owned()).or_default().insert(column.title.into_owned());
        }
    }
    for key in ["device", "state", "reason", "far", "cost", "finding"] {
        assert_eq!(titles[key].len(), 1, "{key}: {:?}", titles[key]);
    }
}
