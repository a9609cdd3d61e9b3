//! LAG selection beside what a real LACP implementation made of the same cables.
//!
//! Compared is who is attached there with who is selected here. Cases that need what the language
//! cannot say yet (keys, port numbers and system identifiers of single LAGs) are left out.
//!
//! One case differs, lacp-010: that implementation kept the lead member that had attached first,
//! although another partner's link ranks better. Selection here has no history: what it tells is
//! a function of the configuration alone, and IEEE 802.1AX clause 6.4.14 leaves to the device which
//! of several partners gets the aggregator.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::collections::BTreeMap;
use std::fmt::Write as _;

use felting::behavior::MemberState;
use felting::{Condition, Fabric, State};
use serde_json::Value as Json;

fn list(value: &Json) -> &[Json] {
    value.as_array().map_or(&[], Vec::as_slice)
}

/// Why a case cannot be written as a fabric file, if it cannot.
fn unsaid(input: &Json) -> Option<&'static str> {
    for bridge in list(&input["bridges"]) {
        let mut priorities: Vec<_> =
            list(&bridge["ports"]).iter().map(|p| &p["system_priority"]).collect();
        priorities.dedup();
        if priorities.len() > 1 {
            return Some("system priorities of single LAGs");
        }
        for port in list(&bridge["ports"]) {
            if !port["system_id"].is_null() {
                return Some("system identifiers of single LAGs");
            }
            // There, all members are attached when nobody answers; that is not 802.1AX.
            if port["fallback_ab"].as_str().is_some_and(|set| set == "true")
                || port["fallback_ab"] == true
            {
                return Some("its own way without an answer");
            }
            for member in list(&port["members"]) {
                if !member["aggregation_key"].is_null() || !member["port_id"].is_null() {
                    return Some("keys and port numbers of single members");
                }
            }
        }
    }
    None
}

fn fabric(input: &Json) -> String {
    let mut text = String::new();
    for bridge in list(&input["bridges"]) {
        let name = bridge["name"].as_str().unwrap();
        let ports: Vec<_> = list(&bridge["ports"])
            .iter()
            .flat_map(|port| list(&port["members"]))
            .map(|member| format!("\"{} 10G\"", member["if"].as_str().unwrap()))
            .collect();
        let priority =
            list(&bridge["ports"]).iter().find_map(|port| number(&port["system_priority"]));
        let _ = writeln!(
            text,
            "[[switch]]\nname = \"{name}\"\nmac = {}\nsystem_priority = {}\nports = [{}]",
            bridge["mac"],
            priority.unwrap_or(65534),
            ports.join(", "),
        );
        for port in list(&bridge["ports"]) {
            let members = list(&port["members"]);
            let names: Vec<_> = members.iter().map(|member| member["if"].to_string()).collect();
            let lacp = match port["lacp"].as_str().unwrap_or("off") {
                "off" => "protocol = \"static\"".to_owned(),
                mode => format!("mode = \"{mode}\""),
            };
            let _ = writeln!(
                text,
                "[[lag]]\non = \"{name}\"\nname = {}\nports = [{}]\nport_priority = 65535\n{lacp}",
                port["name"],
                names.join(", "),
            );
            for member in members {
                if let Some(priority) = number(&member["port_priority"]) {
                    let _ = writeln!(
                        text,
                        "[[lag.members]]\nports = {}\nport_priority = {priority}",
                        member["if"]
                    );
                }
            }
        }
    }
    let runs: Vec<_> = list(&input["cables"])
        .iter()
        .map(|cable| {
            let end = |end: &Json| end.as_str().unwrap().replace(':', " ");
            format!("\"{} -- {}\"", end(&cable["a"]), end(&cable["b"]))
        })
        .collect();
    let _ = writeln!(text, "[cabling]\nruns = [{}]", runs.join(", "));
    text
}

/// A number, also where it is written as a text.
fn number(value: &Json) -> Option<u64> {
    value.as_u64().or_else(|| value.as_str()?.parse().ok())
}

#[test]
fn selected_is_what_was_attached() {
    let records = include_str!("data/real/lacp.jsonl");
    let (mut compared, mut members, mut left_out) = (0, 0, BTreeMap::<&str, u32>::new());
    let mut differing = String::new();
    for record in records.lines() {
        let case: Json = serde_json::from_str(record).unwrap();
        if let Some(reason) = unsaid(&case["input"]) {
            *left_out.entry(reason).or_default() += 1;
            continue;
        }
        let fabric = Fabric::from_text("case.toml", &fabric(&case["input"]));
        assert!(fabric.is_complete(), "{}: {:#?}", case["id"], fabric.faults());
        let state = State::of(&fabric, &Condition::default());
        compared += 1;
        for (_, lag) in fabric.lags() {
            let name = format!("{}:{}", fabric.device_name(lag.device), lag.name.value);
            for member in lag.members.iter() {
                let port = fabric.port_name(fabric.member(member).port.value);
                let Some(attached) =
                    case["output"][&name]["lacp"]["members"][port]["attached"].as_bool()
                else {
                    continue;
                };
                members += 1;
                let outcome = state.member(member);
                if attached != (outcome.state == MemberState::Selected) {
                    let _ = writeln!(
                        differing,
                        "{} {name} {port}: attached {attached}, here {:?}",
                        case["id"], outcome.state
                    );
                }
            }
        }
    }
    insta::assert_snapshot!(format!(
        "{compared} cases, {members} members\nleft out: {left_out:#?}\n{differing}"
    ));
}
