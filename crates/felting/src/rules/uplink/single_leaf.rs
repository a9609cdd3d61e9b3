use rustc_hash::FxHashSet;

use crate::fabric::DeviceKind;
use crate::rules::lag::plug;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-single-leaf",
        severity: Severity::Hint,
        summary: "all NICs of a host lead to one leaf, which shares other hosts with another",
        explain: "Two cables to one switch survive the loss of a cable, and not that of the switch. \
              (Of a pair this is told as single-homed.)",
        sources: &["trade practice: no single point of failure"],
        broken: r#"
[[switch]]
name = "dune-[a-b]"
role = "leaf"
ports = "p[1-3] 25G"

[[host]]
name = "skiff-[1-2]"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[[lag]]
on = "dune-*"
name = "skiff-1"
ports = "p1"
ethernet_segment = "02:46:00:00:00:0f/1"

[[lag]]
on = "dune-a"
name = "skiff-2"
ports = "p[2-3]"

[cabling]
runs = ["skiff-1 nic[1-2] -- dune-[a-b] p1", "skiff-2 nic[1-2] -- dune-a p[2-3]"]
"#,
        mend: &[
            (
                "on = \"dune-a\"\nname = \"skiff-2\"\nports = \"p[2-3]\"",
                "on = \"dune-*\"\nname = \"skiff-2\"\nports = \"p2\"\nethernet_segment = \"02:46:00:00:00:0f/2\"",
            ),
            ("-- dune-a p[2-3]", "-- dune-[a-b] p2"),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let legs = fabric.ethernet_segments().flat_map(|(_, segment)| &segment.legs);
    let sharing: FxHashSet<_> = legs.map(|&leg| fabric.lag(leg).device).collect();
    if sharing.is_empty() {
        return;
    }
    for (id, host) in fabric.devices().filter(|(_, device)| device.kind == DeviceKind::Host) {
        let cabled: Vec<_> =
            host.ports.iter().filter_map(|nic| Some(fabric.link(nic)?.1)).collect();
        let switches: FxHashSet<_> = cabled.iter().map(|&far| fabric.port(far).device).collect();
        let ([first, _, ..], 1) = (&cabled[..], switches.len()) else { continue };
        let leaf = fabric.port(*first).device;
        let switch = fabric.device(leaf);
        // What is meant for an Ethernet segment is told there.
        if fabric.lag_of(*first).is_some_and(|lag| fabric.lag(lag).segment.is_some()) {
            continue;
        }
        if !sharing.contains(&leaf) || switch.pair.is_some() || switch.stack.is_some() {
            continue;
        }
        let (name, leaf_name) = (&host.name.value, &switch.name.value);
        out.report(
            plug(fabric, *first).unwrap_or(host.name.span),
            format!("to {leaf_name}, like its others"),
            format!("all {} NICs of {name} lead to {leaf_name}", cabled.len()),
        )
        .related(host.name.span, format!("{name} has NICs for two switches"))
        .wire(format!("{name} is cut off when {leaf_name} fails"))
        .remedy("lead one NIC to another leaf, with one Ethernet segment on both, or accept it with the reason")
        .when_lost(leaf_name.as_str())
        .about(id)
        .about(leaf);
    }
}
