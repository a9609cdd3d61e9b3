//! Faults of endpoints, and of what gives them their addresses.

mod address_reserved;
mod address_reused;
mod gateway_wrong;
mod mac_reused;
mod mtu_clash;
mod network_unmapped;
mod outside_subnet;
mod prefix_length_clash;

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
    &address_reserved::RULE,
    &prefix_length_clash::RULE,
    &gateway_wrong::RULE,
    &mtu_clash::RULE,
];

/// The segments that the frames of an endpoint come into.
pub(super) fn segments_of(cx: &Context<'_>, endpoint: EndpointId) -> SmallVec<[SegmentId; 1]> {
    cx.state.segments_of(endpoint)
}

/// The presences of a segment, one for each group of switches that are set alike.
pub(super) fn presences(
    fabric: &Fabric,
    segment: SegmentId,
) -> impl Iterator<Item = PresenceId> + '_ {
    let mut last = None;
    fabric.segment(segment).presences.iter().filter(move |&presence| {
        let settings = fabric.presence(presence).settings;
        last.replace(settings) != Some(settings)
    })
}

/// The subnets of a segment of the family of an address, wherever it is.
pub(super) fn subnets(fabric: &Fabric, segment: SegmentId, like: &IpPrefix) -> Vec<At<IpPrefix>> {
    let all = presences(fabric, segment).flat_map(|id| &fabric.settings_at(id).subnets);
    let mut found: Vec<At<IpPrefix>> =
        all.copied().filter(|subnet| subnet.family() == like.family()).collect();
    found.dedup_by_key(|subnet| subnet.value);
    found
}
