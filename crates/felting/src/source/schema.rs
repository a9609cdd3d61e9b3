//! The language described for editors (JSON Schema) and for people (the reference).

use std::fmt::Write as _;

use serde_json::{Map, Value as Json, json};

use super::fits::as_json;
use super::keys::{Keys, VisitTables, extra_keys, statement_schemas, table_schema};
use super::load::{paths_schema, tables};
use super::runs::{Run, RunKeys};
use super::statements::each_table;

/// The JSON Schema (draft 2020-12) of a fabric file, for editors.
pub(crate) fn json_schema(rules: impl Iterator<Item = &'static str>) -> Json {
    let mut definitions = Definitions(Map::new());
    definitions.nested::<RunKeys>();
    each_table(&mut definitions);
    let level = json!({ "enum": ["error", "warning", "hint", "off"] });
    let rules: Map<String, Json> = rules.map(|rule| (rule.to_owned(), level.clone())).collect();
    let properties: Map<String, Json> = tables()
        .map(|table| {
            let schema = match table {
                "fabric" => only(&json!({
                    "name": { "type": "string" },
                    "include": paths_schema(),
                })),
                "severities" => only(&Json::Object(rules.clone())),
                "cabling" => {
                    only(&json!({ "runs": several(&Run::schema()), "csv": paths_schema() }))
                }
                table => several(&json!({ "$ref": format!("#/$defs/{table}") })),
            };
            (table.to_owned(), schema)
        })
        .collect();
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": concat!("urn:felting:fabric:", env!("CARGO_PKG_VERSION")),
        "title": "Felting fabric file",
        "type": "object",
        "additionalProperties": false,
        "properties": properties,
        "$defs": definitions.0,
    })
}

/// A table of these keys alone.
fn only(properties: &Json) -> Json {
    json!({ "type": "object", "additionalProperties": false, "properties": properties })
}

/// One of them or a list.
fn several(one: &Json) -> Json {
    json!({ "anyOf": [one, { "type": "array", "items": one }] })
}

/// The tables, by their names.
struct Definitions(Map<String, Json>);

impl VisitTables for Definitions {
    fn statement<K: Keys>(&mut self) {
        self.0.extend(statement_schemas::<K>());
    }

    fn nested<K: Keys>(&mut self) {
        self.0.insert(K::TABLE.to_owned(), table_schema::<K>(&[]));
    }
}

/// The reference of all tables and keys, as Markdown: the generated part of `docs/language.md`.
pub fn reference() -> String {
    let mut page = Page(String::new());
    page.nested::<RunKeys>();
    each_table(&mut page);
    page.0
}

struct Page(String);

impl VisitTables for Page {
    fn statement<K: Keys>(&mut self) {
        self.section::<K>(&format!("[[{}]]", K::TABLE));
        let beside = extra_keys::<K>().iter().map(|key| format!("`{key}`")).collect::<Vec<_>>();
        if !beside.is_empty() {
            // Writing to a String cannot fail.
            let _ = writeln!(self.0, "\nBeside these: {}.", beside.join(", "));
        }
        self.0.push('\n');
    }

    fn nested<K: Keys>(&mut self) {
        self.section::<K>(&format!("{}: {}", K::TABLE, K::PLACE.join("")));
        self.0.push('\n');
    }
}

impl Page {
    fn section<K: Keys>(&mut self, title: &str) {
        let doc = K::DOC.split_whitespace().collect::<Vec<_>>().join(" ");
        let columns = "| key | takes | default | means |\n|---|---|---|---|\n";
        let _ = write!(self.0, "### {title}\n\n{doc}\n\n{columns}");
        for def in K::DEFS {
            let needed = if def.identity { " (needed)" } else { "" };
            let what = match (def.what)() {
                what if what.starts_with("a table with") => "a table, see below".to_owned(),
                what => what,
            };
            let default = def.default.iter().map(|default| match as_json(default()) {
                Json::String(text) => format!("`{text}`"),
                value => format!("`{value}`"),
            });
            let default: String = default.collect();
            let doc = def.doc.trim();
            let _ = writeln!(self.0, "| `{}`{needed} | {what} | {default} | {doc} |", def.name);
        }
    }
}
