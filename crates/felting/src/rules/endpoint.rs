//! Faults of endpoints, and of what gives them their addresses.

mod address_reserved;
mod address_reused;
mod cut_off;
mod gateway_wrong;
mod mac_reused;
mod mtu_clash;
mod network_unmapped;
mod outside_subnet;
mod prefix_length_clash;

use std::cell::OnceCell;
use std::net::IpAddr;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::{Check, Context};
use crate::diagnostic::At;
use crate::fabric::{EndpointId, Fabric, PresenceId, SegmentId};
use crate::value::IpPrefix;

pub(super) use cut_off::{RULE as CUT_OFF, report as report_cut_off};

pub(super) static RULES: &[&Check] = &[
    &network_unmapped::RULE,
    &mac_reused::RULE,
    &address_reused::RULE,
    &outside_subnet::RULE,
    &address_reserved::RULE,
    &prefix_length_clash::RULE,
    &gateway_wrong::RULE,
    &mtu_clash::RULE,
    &cut_off::RULE,
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

/// The addresses of the endpoints that are in each segment, found when somebody asks.
pub(super) struct Residents<'c> {
    cx: &'c Context<'c>,
    known: OnceCell<FxHashMap<SegmentId, Vec<IpAddr>>>,
}

impl<'c> Residents<'c> {
    pub(super) fn of(cx: &'c Context<'c>) -> Self {
        Self { cx, known: OnceCell::new() }
    }

    /// Whether a subnet has neither the gateway of its segment nor any of its endpoints in it.
    pub(super) fn lack(&self, segment: SegmentId, subnet: At<IpPrefix>) -> bool {
        let fabric = self.cx.fabric;
        let known = self.known.get_or_init(|| {
            let mut known: FxHashMap<SegmentId, Vec<IpAddr>> = FxHashMap::default();
            for (id, endpoint) in fabric.endpoints() {
                for segment in segments_of(self.cx, id) {
                    let addresses = endpoint.addresses.iter().map(|address| address.address());
                    known.entry(segment).or_default().extend(addresses);
                }
            }
            known
        });
        let alike = |address: &IpAddr| address.is_ipv4() == subnet.address().is_ipv4();
        let gateways = presences(fabric, segment).flat_map(|id| &fabric.settings_at(id).gateways);
        let mut gateways = gateways.map(|gateway| gateway.value).filter(alike).peekable();
        let residents = known.get(&segment).into_iter().flatten().copied();
        let mut residents = residents.filter(alike).peekable();
        gateways.peek().is_some()
            && residents.peek().is_some()
            && gateways.chain(residents).all(|address| !subnet.contains(address))
    }
}
