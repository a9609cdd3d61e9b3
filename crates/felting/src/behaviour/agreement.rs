//! What the sides of a pair, and the switches of a segment, have of one another.

use std::collections::BTreeMap;

use rustc_hash::FxHashMap;

use super::carrier::{carried, has_vlan};
use super::cause::{Aspect, Causes, Entity};
use crate::fabric::{
    DeviceId, DeviceKind, Fabric, GroupId, Lag, LagId, Pair, PairId, PortId, PresenceId, SegmentId,
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
        } else if a.system_priority != b.system_priority {
            causes.add("pair-system-clash", Entity::Pair(id), Aspect::System, None);
        }
    }
    for (id, group) in fabric.groups() {
        let [Some(a), Some(b)] = group.halves else { continue };
        let pair = Entity::Pair(group.pair);
        let known = [Aspect::Domain, Aspect::System]
            .into_iter()
            .any(|aspect| causes.claimed(pair, aspect).is_some());
        // What is set on the LAGs themselves may part what the pair holds together.
        if !known && differs_in_system(fabric, a, b) {
            causes.add("pair-system-clash", Entity::Group(id), Aspect::System, None);
        }
        for aspect in differences(fabric, a, b) {
            let cause = causes.add("pair-group-clash", Entity::Group(id), aspect, None);
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

/// Finds what the leaves of an Ethernet segment disagree about. As with the halves of a group, the
/// difference is one fault, however many far ends notice it.
pub(super) fn ethernet_segments(fabric: &Fabric, causes: &mut Causes) {
    for (id, segment) in fabric.ethernet_segments() {
        let entity = Entity::EthernetSegment(id);
        let [first, others @ ..] = &segment.legs[..] else { continue };
        for (rule, aspect, differs) in [
            ("es-system-clash", Aspect::System, differs_in_system as Differs),
            ("es-mode-clash", Aspect::EthernetSegmentMode, |fabric, a, b| {
                fabric.lag(a).ethernet_segment_mode.value
                    != fabric.lag(b).ethernet_segment_mode.value
            }),
            ("es-vlan-clash", Aspect::Vlans, |fabric, a, b| {
                let (a, b) = (fabric.lag(a), fabric.lag(b));
                let untagged = |lag: &Lag| lag.untagged.map(|vlan| vlan.value);
                a.tagged.value != b.tagged.value || untagged(a) != untagged(b)
            }),
        ] {
            let Some(&other) = others.iter().find(|&&other| differs(fabric, *first, other)) else {
                continue;
            };
            let cause = causes.add(rule, entity, aspect, Some(Entity::Lag(other)));
            for &leg in &segment.legs {
                causes.claim(cause, Entity::Lag(leg), aspect);
                if aspect == Aspect::Vlans {
                    causes.claim(cause, Entity::Lag(leg), Aspect::Untagged);
                    let all = segment
                        .legs
                        .iter()
                        .fold(VlanSet::default(), |all, &leg| all.union(&fabric.lag(leg).tagged));
                    for vlan in all.without(&fabric.lag(leg).tagged).iter() {
                        causes.claim(cause, Entity::Lag(leg), Aspect::Vlan(vlan));
                    }
                }
            }
        }
    }
}

type Differs = fn(&Fabric, LagId, LagId) -> bool;

/// RFC 7432 section 5: the leaves must present one LACP system and key to be one partner.
fn differs_in_system(fabric: &Fabric, a: LagId, b: LagId) -> bool {
    let speaks = |lag: LagId| fabric.lag(lag).protocol.value == Protocol::Lacp;
    let identity = |lag: LagId| (super::lag::system(fabric, lag), fabric.lacp_key(lag));
    speaks(a) && speaks(b) && identity(a) != identity(b)
}

/// Finds peer links whose two ends are set differently: they come before what LAGs in general
/// say of their ends.
pub(super) fn peer_link_settings(fabric: &Fabric, causes: &mut Causes) {
    for (id, pair) in fabric.pairs() {
        let (Some(a), Some(b)) = (pair.sides[0].peer_link, pair.sides[1].peer_link) else {
            continue;
        };
        let (x, y) = (fabric.lag(a.value), fabric.lag(b.value));
        // A group presents the system of the pair, which is at both ends of the link.
        if x.group.is_some() && x.group == y.group {
            let cause =
                causes.add("pair-peer-link-grouped", Entity::Pair(id), Aspect::Partner, None);
            for link in [a, b] {
                causes.claim(cause, Entity::Lag(link.value), Aspect::Partner);
            }
            for side in &pair.sides {
                causes.claim(cause, Entity::Device(side.switch.value), Aspect::Tree);
            }
        }
        for (differs, aspect) in [
            (x.protocol.value != y.protocol.value, Aspect::Protocol),
            (x.untagged.map(|v| v.value) != y.untagged.map(|v| v.value), Aspect::Untagged),
            (x.mtu.map(|v| v.value) != y.mtu.map(|v| v.value), Aspect::Mtu),
        ] {
            if differs {
                let cause = causes.add("pair-peer-link-clash", Entity::Pair(id), aspect, None);
                causes.claim(cause, Entity::Lag(a.value), aspect);
                causes.claim(cause, Entity::Lag(b.value), aspect);
            }
        }
    }
}

/// Finds LAGs that are bridged at one end and routed at the other: none of their VLANs then says
/// anything about the other end.
pub(super) fn layers(fabric: &Fabric, facing: &[(LagId, LagId)], causes: &mut Causes) {
    for &(a, b) in facing {
        let (x, y) = (fabric.lag(a), fabric.lag(b));
        let routed = |lag: &Lag| !lag.addresses.is_empty();
        let bridged = |lag: &Lag| !lag.tagged.is_empty() || lag.untagged.is_some();
        if (routed(x) && bridged(y) && !routed(y)) || (routed(y) && bridged(x) && !routed(x)) {
            let other = Some(Entity::Lag(b));
            let cause = causes.add("lag-layer-clash", Entity::Lag(a), Aspect::Layer, other);
            causes.claim(cause, Entity::Lag(b), Aspect::Layer);
        }
    }
}

/// Finds LAGs between two devices that present one system and one key at both ends: to LACP they
/// are one LAG (IEEE 802.1AX clause 6.3.6).
pub(super) fn keys_reused(fabric: &Fabric, facing: &[(LagId, LagId)], causes: &mut Causes) {
    let mut known: FxHashMap<_, (LagId, LagId)> = FxHashMap::default();
    for &(a, b) in facing {
        if fabric.lag(a).key.is_none() && fabric.lag(b).key.is_none() {
            continue;
        }
        let end = |lag: LagId| (super::lag::system(fabric, lag), fabric.lacp_key(lag));
        let first = *known.entry((end(a), end(b))).or_insert((a, b));
        // The halves of one group have one key on purpose.
        let whole = |lag: LagId| (fabric.lag(lag).group, fabric.lag(lag).segment);
        let joined =
            |x: LagId, y: LagId| x == y || (whole(x) != (None, None) && whole(x) == whole(y));
        if first != (a, b) && !(joined(first.0, a) && joined(first.1, b)) {
            let other = Some(Entity::Lag(first.0));
            causes.add("lag-key-reused", Entity::Lag(a), Aspect::Key, other);
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
        if pair.sides.iter().all(|side| side.peer_link.is_some() || side.peer_port.is_some()) {
            continue;
        }
        let cause = causes.add("pair-peer-link-missing", Entity::Pair(id), Aspect::Partner, None);
        // That the sides are two bridges follows from it.
        for side in &pair.sides {
            causes.claim(cause, Entity::Device(side.switch.value), Aspect::Tree);
        }
        for link in links.into_iter().flatten() {
            causes.claim(cause, Entity::Lag(link.value), Aspect::Partner);
        }
    }
}

/// Finds peer links with a cable that leads elsewhere than to the other side's peer link: what the
/// LAGs at its ends make of that is the same fault.
pub(super) fn peer_links_miswired(fabric: &Fabric, causes: &mut Causes) {
    for (id, pair) in fabric.pairs() {
        if causes.claimed(Entity::Pair(id), Aspect::Partner).is_some() {
            continue;
        }
        for (near, far) in astray(fabric, pair) {
            let entity = Entity::Pair(id);
            let cause = causes.add("pair-peer-link-miswired", entity, Aspect::Partner, None);
            causes.claim(cause, Entity::Port(near), Aspect::Link);
            causes.claim(cause, Entity::Port(far), Aspect::Link);
        }
    }
}

/// The ports of a peer link that are cabled to something else, and what they lead to.
pub(crate) fn astray(fabric: &Fabric, pair: &Pair) -> Vec<(PortId, PortId)> {
    let ports = [0, 1].map(|side| fabric.peer_ports(pair, side));
    if ports.iter().any(Vec::is_empty) {
        return Vec::new();
    }
    let led = |side: usize| {
        let theirs = &ports[1 - side];
        ports[side].iter().filter_map(|&port| {
            let (_, far) = fabric.link(port)?;
            (!theirs.contains(&far)).then_some((port, far))
        })
    };
    led(0).chain(led(1)).collect()
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

/// Who needs VLANs on the peer link of a pair.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum PeerLinkUser {
    /// A multi-chassis LAG: frames cross while one of its legs is down.
    Group(GroupId),
    /// A LAG of one side: frames cross that come to the other.
    Lag(LagId),
    /// The same of a port.
    Port(PortId),
}

/// The VLANs that cross the peer link of each pair, and for whom: those of its multi-chassis LAGs, and those of what
/// hangs on one side alone where frames for it come to the other side too.
pub(crate) fn peer_link_users(fabric: &Fabric) -> IdVec<PairId, Vec<(PeerLinkUser, VlanSet)>> {
    let mut users: IdVec<PairId, Vec<(PeerLinkUser, VlanSet)>> =
        IdVec::filled(&fabric.pairs, Vec::new());
    for (id, group) in fabric.groups() {
        let pair = fabric.pair(group.pair);
        let mut vlans: Vec<VlanId> = Vec::new();
        for half in group.halves.into_iter().flatten() {
            let lag = fabric.lag(half);
            vlans.extend(lag.tagged.iter().chain(lag.untagged.map(|vlan| vlan.value)));
        }
        let here = |vlan: &VlanId| {
            pair.sides.iter().any(|side| has_vlan(fabric, side.switch.value, *vlan))
        };
        let vlans = vlans.into_iter().filter(here).collect();
        users[group.pair].push((PeerLinkUser::Group(id), vlans));
    }
    for (id, pair) in fabric.pairs() {
        let alone = [0, 1].map(|side| on_one_side(fabric, pair, side));
        let of_groups = users[id].iter().fold(VlanSet::default(), |all, (_, own)| all.union(own));
        for side in [0, 1] {
            let other = pair.sides[1 - side].switch.value;
            let theirs =
                alone[1 - side].iter().fold(of_groups.clone(), |all, (_, own)| all.union(own));
            // What VXLAN brings to the shared address comes to either side.
            let own = fabric.presences_on(other).iter().map(|&id| fabric.presence(id));
            let mapped = own.filter(|at| at.vni.is_some() && fabric.vtep_of(other).is_some());
            let tunnelled: VlanSet =
                mapped.filter_map(|at| at.vlan).map(|vlan| vlan.value).collect();
            for (user, vlans) in &alone[side] {
                let crosses = |vlan: &VlanId| {
                    has_vlan(fabric, other, *vlan)
                        && (theirs.contains(*vlan) || tunnelled.contains(*vlan))
                };
                let vlans: VlanSet = vlans.iter().filter(crosses).collect();
                if !vlans.is_empty() {
                    users[id].push((*user, vlans));
                }
            }
        }
    }
    users
}

/// What bridges on one side of a pair only, and has a cable: the VLANs of each LAG and port that the switch has.
fn on_one_side(fabric: &Fabric, pair: &Pair, side: usize) -> Vec<(PeerLinkUser, VlanSet)> {
    let switch = pair.sides[side].switch.value;
    let inside: Vec<LagId> = pair.sides[side].links().collect();
    let between = fabric.peer_ports(pair, side);
    let mut found: Vec<(PeerLinkUser, VlanSet)> = Vec::new();
    for port in fabric.device(switch).ports.iter() {
        // A cable to the other side is no machine's.
        let far = fabric.link(port).map(|(_, far)| fabric.port(far).device);
        let leads_out = far.is_some_and(|far| pair.sides.iter().all(|one| one.switch.value != far));
        if !leads_out || between.contains(&port) {
            continue;
        }
        let user = match fabric.lag_of(port) {
            Some(lag) if fabric.lag(lag).group.is_some() || inside.contains(&lag) => continue,
            // The leaves of an Ethernet segment are each other's way round.
            Some(lag) if fabric.lag(lag).segment.is_some() => continue,
            Some(lag) => PeerLinkUser::Lag(lag),
            None => PeerLinkUser::Port(port),
        };
        let Some((tagged, untagged)) = carried(fabric, port) else { continue };
        if found.last().is_some_and(|(known, _)| *known == user) {
            continue;
        }
        let all = tagged.iter().chain(untagged);
        let vlans: VlanSet = all.filter(|&vlan| has_vlan(fabric, switch, vlan)).collect();
        if !vlans.is_empty() {
            found.push((user, vlans));
        }
    }
    found
}

/// All VLANs that cross the peer link of each pair.
pub(crate) fn needed_vlans(fabric: &Fabric) -> IdVec<PairId, VlanSet> {
    let users = peer_link_users(fabric);
    let all = |users: &Vec<(PeerLinkUser, VlanSet)>| {
        users.iter().flat_map(|(_, vlans)| vlans.iter()).collect::<VlanSet>()
    };
    IdVec::of(users.values().map(all).collect())
}

/// Of the VLANs needed, those that neither the peer link nor a data link beside it has, at either
/// side.
pub(crate) fn peer_link_lacks(fabric: &Fabric, pair: &Pair, needed: &VlanSet) -> [VlanSet; 2] {
    std::array::from_fn(|side| {
        let side = &pair.sides[side];
        if side.peer_link.is_none() {
            return VlanSet::default();
        }
        side.links().fold(needed.clone(), |lacking, link| {
            let lag = fabric.lag(link);
            let lacking = lacking.without(&lag.tagged);
            match lag.untagged {
                Some(untagged) => lacking.without(&untagged.value.into()),
                None => lacking,
            }
        })
    })
}

/// Finds the switches that map a segment to another VNI than most of its VTEPs.
pub(super) fn segments(fabric: &Fabric, causes: &mut Causes) {
    for (id, segment) in fabric.segments() {
        let vni = |presence: PresenceId| fabric.presence(presence).vni.map(|vni| vni.value);
        let mapped = || segment.presences.iter().filter(|&presence| vni(presence).is_some());
        let Some(first) = mapped().next() else { continue };
        // What only the two sides of one pair disagree about is the pair's fault.
        if mapped().all(|presence| vni(presence) == vni(first)) || of_one_pair(fabric, id) {
            continue;
        }
        let reference = most_used(fabric, id, mapped());
        for presence in mapped().filter(|&presence| vni(presence) != vni(reference)) {
            let other = Some(Entity::Presence(reference));
            causes.add("segment-vni-clash", Entity::Presence(presence), Aspect::Vni, other);
        }
    }
}

/// Whether a segment is on the two sides of one pair and nowhere else.
pub(crate) fn of_one_pair(fabric: &Fabric, segment: SegmentId) -> bool {
    let presences: Vec<PresenceId> = fabric.segment(segment).presences.iter().collect();
    match presences[..] {
        [a, b] => fabric.pair_of(fabric.presence(a).switch, fabric.presence(b).switch).is_some(),
        _ => false,
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
        (lacp && x.unanswered.value != y.unanswered.value, Aspect::Unanswered),
        (x.tree.runs.value != y.tree.runs.value, Aspect::TreePort),
        (x.tree.edge.value != y.tree.edge.value && !to_switch(fabric, a), Aspect::EdgePort),
        (x.tree.cost.map(|v| v.value) != y.tree.cost.map(|v| v.value), Aspect::TreeCost),
    ]
    .into_iter()
    .filter_map(|(differs, aspect)| differs.then_some(aspect))
}

/// Whether a LAG leads to a switch. An edge port there is a fault of its own.
fn to_switch(fabric: &Fabric, lag: LagId) -> bool {
    fabric.lag(lag).members.iter().any(|member| {
        let far = fabric.link(fabric.member(member).port.value);
        let kind = far.map(|(_, far)| fabric.device(fabric.port(far).device).kind);
        kind == Some(DeviceKind::Switch)
    })
}

/// The speed of a LAG's first member, which stands for all of them.
pub(crate) fn speed(fabric: &Fabric, lag: &Lag) -> Option<Speed> {
    let member = lag.members.get(0)?;
    Some(fabric.port(fabric.member(member).port.value).speed)
}
