//! What the sides of a pair, and the switches of a segment, have of one another.

use std::collections::BTreeMap;

use rustc_hash::FxHashMap;

use super::cause::{Aspect, Causes, Entity};
use crate::fabric::{
    DeviceId, DeviceKind, Fabric, Lag, LagId, Pair, PairId, PresenceId, SegmentId,
};
use crate::id::IdVec;
use crate::value::{MacAddr, Protocol, Speed, VlanId, VlanSet, Vni};

/// Finds what a pair's sides disagree about. These causes come before those of LAGs: a difference
/// between two halves is one fault, however many far ends notice it.
pub(super) fn groups(fabric: &Fabric, causes: &mut Causes) {
    for (id, pair) in fabric.pairs() {
        let [a, b] = &pair.sides;
        if a.domain.map(|domain| domain.value) != b.domain.map(|domain| domain.value) {
            causes.add("pair-domain-clash", Entity::Pair(id), Aspect::Domain, None);
        }
    }
    for (id, group) in fabric.groups() {
        let [Some(a), Some(b)] = group.halves else { continue };
        for aspect in differences(fabric, a, b) {
            let cause = causes.add("pair-group-settings", Entity::Group(id), aspect, None);
            for half in [a, b] {
                causes.claim(cause, Entity::Lag(half), aspect);
            }
            if aspect == Aspect::Vlans {
                for vlan in symmetric(&fabric.lag(a).tagged, &fabric.lag(b).tagged).iter() {
                    causes.claim(cause, Entity::Lag(a), Aspect::Vlan(vlan));
                    causes.claim(cause, Entity::Lag(b), Aspect::Vlan(vlan));
                }
            }
        }
    }
}

/// Finds switches with one MAC address, to which LACP is one system.
pub(super) fn addresses(fabric: &Fabric, causes: &mut Causes) {
    let mut first: FxHashMap<MacAddr, DeviceId> = FxHashMap::default();
    for (id, device) in fabric.devices().filter(|(_, device)| device.kind == DeviceKind::Switch) {
        let owner = *first.entry(device.mac.value).or_insert(id);
        if owner != id {
            let other = Some(Entity::Device(owner));
            let cause = causes.add("switch-mac-reused", Entity::Device(id), Aspect::Mac, other);
            causes.claim(cause, Entity::Device(owner), Aspect::Mac);
        }
    }
}

/// Finds pairs that name a peer link on one side or on none. The LAG that the one side has for it
/// then leads to ports of the other that may well be in no LAG: that is the same fault.
pub(super) fn peer_links_missing(fabric: &Fabric, causes: &mut Causes) {
    for (id, pair) in fabric.pairs() {
        let links = pair.sides.each_ref().map(|side| side.peer_link);
        if links.iter().all(Option::is_some) {
            continue;
        }
        let cause = causes.add("pair-peer-link-missing", Entity::Pair(id), Aspect::Partner, None);
        for link in links.into_iter().flatten() {
            causes.claim(cause, Entity::Lag(link.value), Aspect::Partner);
        }
    }
}

/// Finds the VLANs of multi-chassis LAGs that a peer link lacks.
pub(super) fn peer_links(fabric: &Fabric, causes: &mut Causes) {
    let needed = needed_vlans(fabric);
    for (id, pair) in fabric.pairs() {
        let missing = peer_link_lacks(fabric, pair, &needed[id]);
        if missing.iter().all(VlanSet::is_empty) {
            continue;
        }
        let cause = causes.add("pair-peer-link-vlan", Entity::Pair(id), Aspect::Vlans, None);
        for link in pair.sides.iter().filter_map(|side| side.peer_link) {
            for vlan in missing[0].union(&missing[1]).iter() {
                causes.claim(cause, Entity::Lag(link.value), Aspect::Vlan(vlan));
            }
        }
    }
}

/// All VLANs that the multi-chassis LAGs of each pair carry, tagged or not.
pub(crate) fn needed_vlans(fabric: &Fabric) -> IdVec<PairId, VlanSet> {
    let mut needed: IdVec<PairId, Vec<VlanId>> = IdVec::filled(&fabric.pairs, Vec::new());
    for (_, group) in fabric.groups() {
        for half in group.halves.into_iter().flatten() {
            let lag = fabric.lag(half);
            needed[group.pair].extend(lag.tagged.iter().chain(lag.untagged.map(|vlan| vlan.value)));
        }
    }
    IdVec::from(needed.values().map(|vlans| vlans.iter().copied().collect()).collect::<Vec<_>>())
}

/// Of the VLANs needed, those that the peer link lacks, at either side.
pub(crate) fn peer_link_lacks(fabric: &Fabric, pair: &Pair, needed: &VlanSet) -> [VlanSet; 2] {
    std::array::from_fn(|side| match pair.sides[side].peer_link {
        Some(link) => {
            let lag = fabric.lag(link.value);
            match lag.untagged {
                Some(untagged) => needed.without(&lag.tagged).without(&untagged.value.into()),
                None => needed.without(&lag.tagged),
            }
        }
        None => VlanSet::default(),
    })
}

/// Finds the switches that map a segment to another VNI than most of its VTEPs.
pub(super) fn segments(fabric: &Fabric, causes: &mut Causes) {
    for (id, segment) in fabric.segments() {
        let vni = |presence: PresenceId| fabric.presence(presence).vni.map(|vni| vni.value);
        let mapped = || segment.presences.iter().filter(|&presence| vni(presence).is_some());
        let Some(first) = mapped().next() else { continue };
        if mapped().all(|presence| vni(presence) == vni(first)) {
            continue;
        }
        let reference = most_used(fabric, id, mapped());
        for presence in mapped().filter(|&presence| vni(presence) != vni(reference)) {
            let other = Some(Entity::Presence(reference));
            causes.add("segment-vni-clash", Entity::Presence(presence), Aspect::Vni, other);
        }
    }
}

/// A presence with the VNI that most have; of two as frequent, the one written for the segment
/// as a whole, else the smaller.
fn most_used(
    fabric: &Fabric,
    segment: SegmentId,
    mapped: impl Iterator<Item = PresenceId>,
) -> PresenceId {
    let mut counts: BTreeMap<Vni, (usize, PresenceId)> = BTreeMap::new();
    for presence in mapped {
        if let Some(vni) = fabric.presence(presence).vni {
            counts.entry(vni.value).or_insert((0, presence)).0 += 1;
        }
    }
    let written = fabric.segment(segment).vni.map(|vni| vni.value);
    let best = counts
        .into_iter()
        .max_by_key(|&(vni, (count, _))| (count, Some(vni) == written, std::cmp::Reverse(vni)));
    best.expect("called with at least one presence that is mapped").1.1
}

/// The VLANs that only one of the sets has.
pub(crate) fn symmetric(a: &VlanSet, b: &VlanSet) -> VlanSet {
    a.without(b).union(&b.without(a))
}

fn differences(fabric: &Fabric, a: LagId, b: LagId) -> impl Iterator<Item = Aspect> {
    let (x, y) = (fabric.lag(a), fabric.lag(b));
    let protocol = x.protocol.value != y.protocol.value;
    let lacp = x.protocol.value == Protocol::Lacp && !protocol;
    [
        (x.tagged.value != y.tagged.value, Aspect::Vlans),
        (x.untagged.map(|v| v.value) != y.untagged.map(|v| v.value), Aspect::Untagged),
        (protocol, Aspect::Protocol),
        (lacp && x.mode.value != y.mode.value, Aspect::Mode),
        (speed(fabric, x) != speed(fabric, y), Aspect::Speed),
        (x.mtu.map(|mtu| mtu.value) != y.mtu.map(|mtu| mtu.value), Aspect::Mtu),
        (x.min_members.value != y.min_members.value, Aspect::MinMembers),
    ]
    .into_iter()
    .filter_map(|(differs, aspect)| differs.then_some(aspect))
}

/// The speed of a LAG's first member, which stands for all of them.
pub(crate) fn speed(fabric: &Fabric, lag: &Lag) -> Option<Speed> {
    let member = lag.members.get(0)?;
    Some(fabric.port(fabric.member(member).port.value).speed)
}
