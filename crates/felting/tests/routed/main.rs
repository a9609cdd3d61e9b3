//! The routed fabric: adjacencies, routes, sessions, EVPN, Ethernet segments, tenants. Small examples worked
//! by hand, with the section beside each, and laws that hold for any fabric.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

mod attachment;
mod ethernet_segments;
mod laws;
mod sessions;
mod tenants;
mod underlay;

use std::fmt::Write as _;

use felting::behaviour::RouteKind;
use felting::fabric::{DeviceId, PresenceId};
use felting::{Condition, Fabric, Progress, State};

/// A fabric that must be whole, and what becomes of it.
pub(crate) fn made(text: &str) -> (Fabric, State) {
    made_under(text, &[])
}

pub(crate) fn made_under(text: &str, cuts: &[&str]) -> (Fabric, State) {
    let fabric = Fabric::from_text("routed.toml", text);
    assert!(fabric.is_complete(), "{:#?}", fabric.faults());
    let condition = cuts
        .iter()
        .fold(Condition::default(), |condition, cut| condition.cut(&fabric, cut).unwrap());
    let state = State::of(&fabric, &condition, &Progress::default());
    (fabric, state)
}

pub(crate) fn device(fabric: &Fabric, name: &str) -> DeviceId {
    fabric.find_device(name).unwrap()
}

pub(crate) fn presence(fabric: &Fabric, switch: &str, segment: &str) -> PresenceId {
    let switch = device(fabric, switch);
    let own = fabric.presences_on(switch).iter().copied();
    let mut found =
        own.filter(|&id| fabric.segment(fabric.presence(id).segment).name.as_str() == segment);
    found.next().unwrap()
}

/// The routes that a VTEP originates, a line each.
pub(crate) fn originated(state: &State, switch: &str) -> String {
    let fabric = state.fabric();
    let mut page = String::new();
    for route in state.originated(device(fabric, switch)) {
        let says = match &route.kind {
            RouteKind::EthernetAd { esi, whole } => {
                format!("{esi} {}", if *whole { "whole" } else { "instance" })
            }
            RouteKind::MacIp { mac, ip, esi } => {
                let ip = ip.map(|ip| format!(" {ip}")).unwrap_or_default();
                format!("{mac}{ip}{}", esi.map(|esi| format!(" on {esi}")).unwrap_or_default())
            }
            RouteKind::InclusiveMulticast { originator } => originator.to_string(),
            RouteKind::EthernetSegment { esi, originator } => format!("{esi} {originator}"),
            RouteKind::IpPrefix { prefix } => prefix.to_string(),
            other => panic!("{other:?}"),
        };
        let targets = route.targets.iter().map(ToString::to_string).collect::<Vec<_>>().join(" ");
        let rd = route.rd.map_or_else(|| "none".to_owned(), |rd| rd.to_string());
        let _ = write!(
            page,
            "type {} {says}, RD {rd}, targets [{targets}], next hop {}",
            route.kind.number(),
            route.next_hop
        );
        for (name, value) in [
            ("tag", (route.tag != 0).then(|| route.tag.to_string())),
            ("VNI", route.vni.map(|vni| vni.to_string())),
            ("layer 3 VNI", route.routed_vni.map(|vni| vni.to_string())),
            ("router MAC", route.router_mac.map(|mac| mac.to_string())),
            ("ES-Import", route.es_import.map(|mac| mac.to_string())),
            ("mobility", route.mobility.map(|moves| moves.to_string())),
        ] {
            if let Some(value) = value {
                let _ = write!(page, ", {name} {value}");
            }
        }
        page.push('\n');
    }
    page
}

/// Two spines and two leaves, cabled, with pools.
pub(crate) const PLANT: &str = r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "p[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = ["p[1-8] 25G", "p[49-52] 100G"]

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"
"#;

/// Everything in one AS, with both spines reflecting.
pub(crate) const OVERLAY: &str = r#"
[[underlay]]
on = ["crest-*", "kelp-*"]

[[router]]
on = ["crest-*", "kelp-*"]
as_number = 4204100000

[[session]]
on = "kelp-*"
to = "crest-*"

[[session]]
on = "crest-*"
to = "kelp-*"
client = true

[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
gateway_mac = "02:46:00:00:00:01"
"#;

pub(crate) const CABLES: &str = r#"
[cabling]
runs = ["kelp-a p[49-50] -- crest-[1-2] p1", "kelp-b p[49-50] -- crest-[1-2] p2"]
"#;
