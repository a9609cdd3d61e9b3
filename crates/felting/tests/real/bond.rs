//! LAG selection beside what a kernel's bonds made of the same cables, before and after ports go down.
//!
//! Compared are, for every member at every stage, whether it is in use, and of members that have heard their
//! partner whether they are in sync. Where the recorded system departs from IEEE 802.1AX, or chooses by what came
//! first, each difference must be one of the known [`Departure`]s, and the snapshot says where each is met.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use felting::behaviour::MemberState;
use felting::{Condition, Fabric, Progress, State};
use serde_json::Value as Json;

use crate::list;

/// A way in which that system departs from IEEE 802.1AX, or from what is a function of the settings alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Departure {
    /// Two passive ends form all the same. Clause 6.4.1: a passive end only answers, so two stay apart.
    Passive,
    /// It keeps the partner that was there first, or was ready first. Clause 6.4.14 leaves the choice to the
    /// device; here it follows from what is set.
    History,
    /// The far end of the relayed link does not see it go down, and goes on for itself.
    Unseen,
    /// Members of a partner that was given up for another go on saying that they distribute. Clause 6.4.15: the Mux
    /// machine leaves Collecting and Distributing with the selection.
    GivenUp,
    /// Below its minimum the bond as a whole is down, while its members go on saying that they distribute.
    Minimum,
}

/// What departs in a lab from which stage on, and for which systems.
const DEPARTURES: &[(&str, usize, &str, Departure)] = &[
    ("passive_both", 0, "AB", Departure::Passive),
    ("mclag_keys_differ", 0, "ABC", Departure::History),
    ("two_partners_stable_down", 0, "ABC", Departure::History),
    ("two_partners_count_even", 2, "ABC", Departure::History),
    ("two_partners_count_even", 1, "AB", Departure::GivenUp),
    ("speeds_many_slow_bandwidth", 2, "AB", Departure::GivenUp),
    ("speeds_many_slow_bandwidth", 1, "AB", Departure::Unseen),
    ("speeds_many_slow_stable", 1, "B", Departure::Unseen),
    ("min_links_2_one_up", 3, "AB", Departure::Minimum),
];

fn end(text: &Json) -> (&str, &str) {
    text.as_str().unwrap().split_once(':').unwrap()
}

/// The lab as a fabric file.
fn page(lab: &Json) -> String {
    // Ports of another rate have another key there, and are not refused.
    let mut page = "[[hardware]]\nname = \"any-rate\"\nmixed_rates = true\n".to_owned();
    for (name, system) in lab["systems"].as_object().unwrap() {
        let speed = |port: &str| lab["speeds"][name][port].as_u64().unwrap_or(10_000);
        let ports: Vec<&str> = list(&system["ports"]).iter().map(|p| p.as_str().unwrap()).collect();
        let bond = &system["bond"];
        let written = ports.iter().map(|port| format!("\"{port} {}M\"", speed(port)));
        let written = written.collect::<Vec<_>>().join(", ");
        if bond["mode"] == "active-backup" {
            let _ = writeln!(page, "[[host]]\nname = \"{name}\"\nnics = [{written}]");
            let _ = writeln!(page, "[[host.bond]]\nname = \"bond\"\nnics = {ports:?}");
            let _ = writeln!(page, "protocol = \"active-standby\"");
            continue;
        }
        let _ = writeln!(page, "[[switch]]\nname = \"{name}\"\nports = [{written}]");
        let _ = writeln!(page, "hardware = \"any-rate\"");
        if bond.is_null() {
            continue;
        }
        let _ = writeln!(page, "mac = {}", bond["mac"]);
        let _ = writeln!(page, "[[lag]]\non = \"{name}\"\nname = \"bond\"\nports = {ports:?}");
        if bond["mode"] != "802.3ad" {
            let _ = writeln!(page, "protocol = \"static\"");
            continue;
        }
        let _ = writeln!(page, "unanswered = \"one\"\ntimeout = \"short\"");
        let _ = writeln!(page, "system_priority = {}", bond["ad_actor_sys_prio"]);
        let _ = writeln!(page, "min_members = {}", bond["min_links"].as_u64().unwrap().max(1));
        let by = match bond["ad_select"].as_str().unwrap() {
            "bandwidth" => "bandwidth",
            "count" => "links",
            _ => "member",
        };
        let _ = writeln!(page, "partner_by = \"{by}\"");
        if bond["lacp_active"] == "off" {
            let _ = writeln!(page, "mode = \"passive\"");
        }
        if bond["ad_actor_system"].is_string() {
            let _ = writeln!(page, "system = {}", bond["ad_actor_system"]);
        }
        for port in &ports {
            let key = &lab["stages"][0][name]["ports"][port]["key"];
            let _ = writeln!(page, "[[lag.members]]\nports = \"{port}\"\nkey = {key}");
        }
    }
    let runs: Vec<String> = list(&lab["cables"])
        .iter()
        .map(|cable| {
            let [(a, near), (b, far)] = [end(&cable[0]), end(&cable[1])];
            format!("{a} {near} -- {b} {far}")
        })
        .collect();
    let _ = writeln!(page, "[cabling]\nruns = {runs:?}");
    page
}

/// Every member of a lab at one stage that is otherwise than recorded.
fn differences(state: &State, recorded: &Json) -> BTreeSet<(String, String)> {
    let fabric = state.fabric();
    let mut found = BTreeSet::new();
    for (id, member) in fabric.members() {
        let device = fabric.device(fabric.lag(member.lag).device).name.value.clone();
        let port = fabric.port_name(member.port.value).to_string();
        let truth = &recorded[device.as_str()]["ports"][&port];
        let outcome = state.member(id);
        let in_use = outcome.distributing || outcome.state == MemberState::Individual;
        let mut differs = |what: &str, here: bool, there: bool| {
            if here != there {
                found.insert((
                    device.to_string(),
                    format!("{device} {port} {what}: {here}, recorded {there}"),
                ));
            }
        };
        differs("in use", in_use, truth["in_use"].as_bool().unwrap());
        let (up, bits) = (truth["up"].as_bool().unwrap(), truth["state"].as_u64());
        // IEEE 802.1AX clause 6.4.2.3: bit 6 is Defaulted, bit 3 Synchronization.
        if let Some(bits) = bits.filter(|bits| up && bits & 0x40 == 0) {
            let in_sync = state.lacpdu(id).is_some_and(|sent| sent.synchronization);
            differs("in sync", in_sync, bits & 0x08 != 0);
        }
    }
    found
}

#[test]
fn every_member_of_every_lab() {
    let file = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/data/real/bond.jsonl");
    let mut met: BTreeMap<String, Vec<String>> = BTreeMap::new();
    let mut compared = 0;
    for line in std::fs::read_to_string(file).unwrap().lines() {
        let lab: Json = serde_json::from_str(line).unwrap();
        let id = lab["id"].as_str().unwrap();
        let text = page(&lab);
        let fabric = Fabric::from_text("lab.toml", &text);
        let faults: Vec<_> = fabric.faults().iter().map(|fault| &fault.what.message).collect();
        assert!(faults.is_empty(), "{id}: {faults:?}\n{text}");
        let mut down = BTreeSet::new();
        for (stage, recorded) in list(&lab["stages"]).iter().enumerate() {
            if let Some(step) = stage.checked_sub(1).map(|stage| &lab["steps"][stage]) {
                match step[0] == "down" {
                    true => down.insert(end(&step[1])),
                    false => down.remove(&end(&step[1])),
                };
            }
            let mut condition = Condition::default();
            for &(system, port) in &down {
                let (cable, _) = fabric
                    .cables()
                    .find(|(_, cable)| {
                        cable.ends.iter().any(|end| {
                            let port_of = fabric.port(end.value);
                            *fabric.device(port_of.device).name.value == *system
                                && *fabric.port_name(end.value).to_string() == *port
                        })
                    })
                    .unwrap();
                condition = condition.cable(cable);
            }
            let state = State::of(&fabric, &condition, &Progress::default());
            for (system, difference) in differences(&state, recorded) {
                let known = DEPARTURES.iter().find(|(lab, from, systems, _)| {
                    *lab == id && stage >= *from && systems.contains(&system)
                });
                let known = known.map(|(_, _, _, departure)| departure);
                assert!(known.is_some(), "{id}, stage {stage}: {difference}\n{text}");
                let one = format!("{id}, stage {stage}, {:?}", known.unwrap());
                met.entry(one).or_default().push(difference);
            }
            compared += fabric.members().count();
        }
    }
    assert!(compared > 150, "{compared}");
    let lines = met.iter().map(|(what, all)| format!("{what}: {}; of {}", all[0], all.len()));
    insta::assert_snapshot!(lines.collect::<Vec<_>>().join("\n"));
}
