//! The language described for editors (JSON Schema) and for people (the reference).

use std::fmt::Write as _;

use serde_json::{Value as Json, json};

use super::keys::{Keys, extra_keys, statement_schema};
use super::load::{TABLES, paths_schema};
use super::statements::{
    AcceptKeys, BondKeys, EndpointKeys, EviKeys, ExpectKeys, HardwareKeys, HostKeys, InstanceKeys,
    InterfaceKeys, KeepaliveKeys, LagKeys, LeakKeys, ManagementKeys, MemberKeys, NetworkKeys,
    OutsideKeys, OverlayKeys, PairKeys, PolicyKeys, PoolKeys, PortKeys, RepeaterKeys, RouteKeys,
    RouterKeys, Run, RunKeys, ScopeKeys, SegmentKeys, SessionKeys, SiteKeys, StackKeys,
    StackMemberKeys, SwitchKeys, TreeKeys, UnderlayKeys, VlanPriorityKeys, VrfKeys, WanKeys,
};

/// The JSON Schema (draft 2020-12) of a fabric file, for editors.
pub(crate) fn json_schema(rules: impl Iterator<Item = &'static str>) -> Json {
    let rules: serde_json::Map<String, Json> = rules
        .map(|rule| (rule.to_owned(), json!({ "enum": ["error", "warning", "hint", "off"] })))
        .collect();
    let mut properties = serde_json::Map::new();
    for &table in TABLES {
        let schema = match table {
            "fabric" => json!({
                "type": "object",
                "additionalProperties": false,
                "properties": { "name": { "type": "string" }, "include": paths_schema() },
            }),
            "severities" => json!({
                "type": "object",
                "additionalProperties": false,
                "properties": rules,
            }),
            "cabling" => json!({
                "type": "object",
                "additionalProperties": false,
                "properties": {
                    "runs": { "anyOf": [Run::schema(), { "type": "array", "items": Run::schema() }] },
                    "csv": paths_schema(),
                },
            }),
            "hardware" => array::<HardwareKeys>(),
            "switch" => array::<SwitchKeys>(),
            "port" => array::<PortKeys>(),
            "lag" => array::<LagKeys>(),
            "pair" => array::<PairKeys>(),
            "stack" => array::<StackKeys>(),
            "repeater" => array::<RepeaterKeys>(),
            "management" => array::<ManagementKeys>(),
            "tree" => array::<TreeKeys>(),
            "pool" => array::<PoolKeys>(),
            "router" => array::<RouterKeys>(),
            "underlay" => array::<UnderlayKeys>(),
            "interface" => array::<InterfaceKeys>(),
            "route" => array::<RouteKeys>(),
            "policy" => array::<PolicyKeys>(),
            "session" => array::<SessionKeys>(),
            "overlay" => array::<OverlayKeys>(),
            "evi" => array::<EviKeys>(),
            "leak" => array::<LeakKeys>(),
            "outside" => array::<OutsideKeys>(),
            "site" => array::<SiteKeys>(),
            "wan" => array::<WanKeys>(),
            "endpoint" => array::<EndpointKeys>(),
            "scope" => array::<ScopeKeys>(),
            "expect" => array::<ExpectKeys>(),
            "vrf" => array::<VrfKeys>(),
            "segment" => array::<SegmentKeys>(),
            "host" => array::<HostKeys>(),
            "accept" => array::<AcceptKeys>(),
            _ => continue,
        };
        properties.insert(table.to_owned(), schema);
    }
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Felting fabric file",
        "type": "object",
        "additionalProperties": false,
        "properties": properties,
    })
}

fn array<K: Keys>() -> Json {
    let statement = statement_schema::<K>();
    json!({ "anyOf": [statement.clone(), { "type": "array", "items": statement }] })
}

/// The reference of all tables and keys, as Markdown: the generated part of `docs/language.md`.
pub fn reference() -> String {
    let mut page = String::new();
    section::<HardwareKeys>(&mut page);
    section::<SwitchKeys>(&mut page);
    section::<StackKeys>(&mut page);
    section::<StackMemberKeys>(&mut page);
    section::<RunKeys>(&mut page);
    section::<RepeaterKeys>(&mut page);
    section::<PortKeys>(&mut page);
    section::<LagKeys>(&mut page);
    section::<MemberKeys>(&mut page);
    section::<PairKeys>(&mut page);
    section::<KeepaliveKeys>(&mut page);
    section::<ManagementKeys>(&mut page);
    section::<TreeKeys>(&mut page);
    section::<InstanceKeys>(&mut page);
    section::<VlanPriorityKeys>(&mut page);
    section::<PoolKeys>(&mut page);
    section::<RouterKeys>(&mut page);
    section::<UnderlayKeys>(&mut page);
    section::<InterfaceKeys>(&mut page);
    section::<RouteKeys>(&mut page);
    section::<PolicyKeys>(&mut page);
    section::<SessionKeys>(&mut page);
    section::<OverlayKeys>(&mut page);
    section::<SiteKeys>(&mut page);
    section::<WanKeys>(&mut page);
    section::<VrfKeys>(&mut page);
    section::<SegmentKeys>(&mut page);
    section::<EviKeys>(&mut page);
    section::<LeakKeys>(&mut page);
    section::<OutsideKeys>(&mut page);
    section::<HostKeys>(&mut page);
    section::<BondKeys>(&mut page);
    section::<NetworkKeys>(&mut page);
    section::<EndpointKeys>(&mut page);
    section::<ScopeKeys>(&mut page);
    section::<ExpectKeys>(&mut page);
    section::<AcceptKeys>(&mut page);
    page
}

fn section<K: Keys>(page: &mut String) {
    let nested = match K::TABLE {
        "run" => Some("an element of `runs` in `[cabling]`"),
        "member" => Some("an element of `members` of a LAG"),
        "keepalive" => Some("the value of `keepalive` of a pair"),
        "stack_member" => Some("an element of `members` of a stack"),
        "instance" => Some("an element of `instances` of a tree"),
        "vlan_priority" => Some("an element of `vlan_priorities` of a tree"),
        "bond" => Some("the value of `bond` of a host"),
        "network" => Some("an element of `networks` of a host"),
        _ => None,
    };
    let title = match nested {
        Some(nested) => format!("### {}: {nested}", K::TABLE),
        None => format!("### [[{}]]", K::TABLE),
    };
    let doc = K::DOC.split_whitespace().collect::<Vec<_>>().join(" ");
    // Writing to a String cannot fail.
    let _ = write!(page, "{title}\n\n{doc}\n\n| key | takes | means |\n|---|---|---|\n");
    for def in K::DEFS {
        let needed = if def.identity { " (needed)" } else { "" };
        let what = (def.what)();
        let what =
            if what.starts_with("a table with") { "a table, see below".to_owned() } else { what };
        let _ = writeln!(page, "| `{}`{needed} | {what} | {} |", def.name, def.doc.trim());
    }
    if nested.is_none() && !extra_keys::<K>().is_empty() {
        let extra = extra_keys::<K>().iter().map(|key| format!("`{key}`")).collect::<Vec<_>>();
        let _ = writeln!(page, "\nBeside these: {}.", extra.join(", "));
    }
    page.push('\n');
}
