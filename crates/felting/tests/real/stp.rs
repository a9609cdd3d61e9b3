//! Spanning trees beside those that a real bridge implementation converged to.
//!
//! That implementation runs the classic protocol (802.1D-1998), whose tree is the same as that of
//! RSTP: root, root ports, costs, and for every LAN its designated bridge and port. What is neither
//! root nor designated is "blocking" there, alternate or backup here. Its port identifiers have 6
//! bits of priority and 10 of number where IEEE 802.1Q clause 13.27.46 has 4 and 12; identifiers are
//! compared between ports of one bridge only, so their order is what is carried over: ports are
//! listed by number, priorities become as many steps of 16 as the bridge has different ones.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use felting::behaviour::{BridgeId, BridgePortId, Carrier, PortRole};
use felting::{Condition, Fabric, Progress, State};
use serde_json::Value as Json;

use crate::list;

fn text(value: &Json) -> &str {
    value.as_str().unwrap()
}

/// The ends of a case's links at bridges, each with the bridge.
fn ends(input: &Json) -> impl Iterator<Item = (&str, &Json)> {
    let both = list(&input["links"]).iter().flat_map(|link| [&link["a"], &link["b"]]);
    both.filter(|end| !end["port_priority"].is_null()).map(|end| (text(&end["bridge"]), end))
}

fn fabric(input: &Json) -> String {
    let mut page = String::new();
    let mut ports: BTreeMap<&str, Vec<&Json>> = BTreeMap::new();
    for (bridge, end) in ends(input) {
        ports.entry(bridge).or_default().push(end);
    }
    for bridge in list(&input["bridges"]) {
        let name = text(&bridge["name"]);
        let own = ports.entry(name).or_default();
        own.sort_by_key(|end| end["port_no"].as_u64());
        let names: Vec<_> =
            own.iter().map(|end| format!("\"{} 10G\"", text(&end["port_name"]))).collect();
        let _ = writeln!(
            page,
            "[[switch]]\nname = \"{name}\"\nmac = {}\nports = [{}]\n[[tree]]\non = \"{name}\"\npriority = {}",
            bridge["mac"],
            names.join(", "),
            bridge["priority"],
        );
        let steps: BTreeSet<_> = own.iter().map(|end| end["port_priority"].as_u64()).collect();
        for end in own {
            let step = steps.iter().position(|step| *step == end["port_priority"].as_u64());
            let _ = writeln!(
                page,
                "[[port]]\non = \"{name}\"\nports = {}\nuntagged = 1\ntree_cost = {}\ntree_priority = {}",
                end["port_name"],
                end["cost"],
                step.unwrap() * 16,
            );
        }
    }
    let port = |end: &Json| format!("{} {}", text(&end["bridge"]), text(&end["port_name"]));
    let is_hub = |end: &Json| end["port_priority"].is_null();
    let mut hubs: BTreeMap<&str, Vec<String>> = BTreeMap::new();
    let mut runs = Vec::new();
    for link in list(&input["links"]) {
        match (is_hub(&link["a"]), is_hub(&link["b"])) {
            (false, false) => {
                runs.push(format!("\"{} -- {}\"", port(&link["a"]), port(&link["b"])));
            }
            (false, true) => {
                hubs.entry(text(&link["b"]["bridge"])).or_default().push(port(&link["a"]));
            }
            (true, false) => {
                hubs.entry(text(&link["a"]["bridge"])).or_default().push(port(&link["b"]));
            }
            (true, true) => unreachable!("no case joins two hubs"),
        }
    }
    for (hub, ports) in hubs {
        let _ = writeln!(page, "[[repeater]]\nname = \"{hub}\"\nports = {ports:?}");
    }
    let _ = writeln!(page, "[cabling]\nruns = [{}]", runs.join(", "));
    page
}

/// A bridge and port of a case in the fabric made of it.
fn find(state: &State, bridge: &str, port: &str) -> BridgePortId {
    let fabric = state.fabric();
    let device = fabric.find_device(bridge).unwrap();
    let port = fabric.find_port(device, port).unwrap();
    state.trees().ports().find(|(_, found)| found.carrier == Carrier::Port(port)).unwrap().0
}

/// What differs between a recorded outcome and the tree here; nothing, if all is well.
fn differences(state: &State, input: &Json, output: &Json) -> Vec<String> {
    let fabric = state.fabric();
    let trees = state.trees();
    let common = &trees.trees()[0];
    let name = |bridge: BridgeId| fabric.device_name(trees.bridge(bridge).devices[0]).to_owned();
    let mut wrong = Vec::new();
    for (id, bridge) in trees.bridges() {
        let recorded = &output["bridges"][fabric.device_name(bridge.devices[0])];
        // A bridge without a port that takes part is its own root.
        let case = common.bridges[id];
        let root = case.map_or(id, |case| case.root);
        let cost = case.map_or(0, |case| case.cost);
        let root_port = case.and_then(|case| case.root_port).map(|port| {
            let Carrier::Port(port) = trees.port(port).carrier else { unreachable!() };
            fabric.port_name(port).to_owned()
        });
        let (priority, mac) = text(&recorded["root_id"]).split_once('.').unwrap();
        let identifier = trees.bridge(root).identifier;
        let priority = u32::from_str_radix(priority, 16).unwrap();
        if (identifier.priority, identifier.mac.to_string().as_str()) != (priority, mac) {
            wrong.push(format!("{}: root {identifier}, not {}", name(id), recorded["root_id"]));
        }
        if u64::from(cost) != recorded["root_path_cost"].as_u64().unwrap() {
            wrong.push(format!("{}: cost {cost}, not {}", name(id), recorded["root_path_cost"]));
        }
        if root_port.as_deref() != recorded["root_port_name"].as_str() {
            wrong.push(format!(
                "{}: root port {root_port:?}, not {}",
                name(id),
                recorded["root_port_name"]
            ));
        }
    }
    for (bridge, end) in ends(input) {
        let port = text(&end["port_name"]);
        let recorded = text(&output["ports"][port]["state"]);
        let role = trees.common(find(state, bridge, port)).0;
        let expected = match role {
            PortRole::Root | PortRole::Designated => "forwarding",
            PortRole::Alternate | PortRole::Backup => "blocking",
            _ => "disabled",
        };
        if recorded != expected {
            wrong.push(format!("{bridge} {port}: {role:?}, not {recorded}"));
        }
    }
    wrong
}

#[test]
fn trees_are_those_that_a_real_bridge_converged_to() {
    let (mut cases, mut ports, mut wrong) = (0, 0, Vec::new());
    for records in [
        include_str!("../data/real/stp-plain.jsonl"),
        include_str!("../data/real/stp-hub.jsonl"),
        include_str!("../data/real/stp-selfloop.jsonl"),
        include_str!("../data/real/stp-fail.jsonl"),
    ] {
        for record in records.lines() {
            let case: Json = serde_json::from_str(record).unwrap();
            let input = &case["input"];
            let fabric = Fabric::from_text("case.toml", &fabric(input));
            assert!(fabric.is_complete(), "{}: {:#?}", case["id"], fabric.faults());
            let mut outcomes = vec![(Condition::default(), &case["output"])];
            if !case["output_after_failure"].is_null() {
                let failed = list(&input["fail_links"]).iter().map(|link| {
                    let link = &input["links"][usize::try_from(link.as_u64().unwrap()).unwrap()];
                    let end =
                        if link["a"]["port_priority"].is_null() { &link["b"] } else { &link["a"] };
                    let device = fabric.find_device(text(&end["bridge"])).unwrap();
                    fabric.find_port(device, text(&end["port_name"])).unwrap()
                });
                let down = failed.fold(Condition::default(), Condition::port);
                outcomes.push((down, &case["output_after_failure"]));
            }
            for (condition, output) in outcomes {
                let state = State::of(&fabric, &condition, &Progress::default());
                let found = differences(&state, input, output);
                wrong.extend(found.iter().map(|found| format!("{}: {found}", case["id"])));
                cases += 1;
                ports += ends(input).count();
            }
        }
    }
    assert!(wrong.is_empty(), "{} of {cases} outcomes: {wrong:#?}", wrong.len());
    assert_eq!((cases, ports), (166, 2828));
}
