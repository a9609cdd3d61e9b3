//! Faults of endpoints, and of what gives them their addresses.

/// Parts of examples: a layer 3 switch with one segment and two hosts.
macro_rules! bench {
    ($rest:literal) => {
        concat!(
            r#"
[[switch]]
name = "kelp-a"
ports = "et[1-4] 25G"

[[port]]
on = "kelp-a"
ports = "et[1-4]"
untagged = 310

[[segment]]
name = "tides-web"
vlan = 310
subnet = "10.80.31.0/24"
gateway = "10.80.31.1"
on = "kelp-a"

[[host]]
name = "bench-[1-2]"
nics = "nic1 25G"
networks = { name = "web" }

[[accept]]
rule = "uplink-single-nic"
reason = "benches have one NIC"

[cabling]
runs = "bench-[1-2] nic1 -- kelp-a et[1-2]"
"#,
            $rest
        )
    };
}

mod address_reused;
mod gateway_wrong;
mod mac_reused;
mod mask_clash;
mod network_unmapped;
mod outside_subnet;
mod pool_covers_gateway;
mod pool_outside_subnet;
mod pool_router_wrong;
mod relay_missing;

use smallvec::SmallVec;

use super::{Check, Context};
use crate::diagnostic::At;
use crate::fabric::{EndpointId, Fabric, PresenceId, SegmentId};
use crate::value::IpPrefix;

pub(super) static RULES: &[&Check] = &[
    &network_unmapped::RULE,
    &mac_reused::RULE,
    &address_reused::RULE,
    &outside_subnet::RULE,
    &mask_clash::RULE,
    &gateway_wrong::RULE,
    &pool_outside_subnet::RULE,
    &pool_covers_gateway::RULE,
    &pool_router_wrong::RULE,
    &relay_missing::RULE,
];

/// The segments that the frames of an endpoint come into.
fn segments_of(cx: &Context<'_>, endpoint: EndpointId) -> SmallVec<[SegmentId; 1]> {
    cx.state.segments_of(endpoint)
}

/// The presences of a segment, one for each group of switches that are set alike.
fn presences(fabric: &Fabric, segment: SegmentId) -> impl Iterator<Item = PresenceId> + '_ {
    let mut last = None;
    fabric.segment(segment).presences.iter().filter(move |&presence| {
        let settings = fabric.presence(presence).settings;
        last.replace(settings) != Some(settings)
    })
}

/// The subnets of a segment of the family of an address, wherever it is.
fn subnets(fabric: &Fabric, segment: SegmentId, like: &IpPrefix) -> Vec<At<IpPrefix>> {
    let all = presences(fabric, segment).flat_map(|id| &fabric.settings_at(id).subnets);
    let mut found: Vec<At<IpPrefix>> =
        all.copied().filter(|subnet| subnet.family() == like.family()).collect();
    found.dedup_by_key(|subnet| subnet.value);
    found
}
