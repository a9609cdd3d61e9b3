//! Endpoints that nothing tells apart, so that of two walks between such the one comes to what the other does.
//!
//! Endpoints are alike if they hang on switches that are alike, in the same segment, by uplinks in the same
//! state, and have the same subnets and gateways. VTEPs are alike if they have the same segments and VRFs set
//! alike, and EVPN brings each what it brings the other. So how two endpoints fare is how the first two of
//! their classes do that stand to each other as they: on one host, on the same switches, on some of the same,
//! or apart.

use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use crate::behaviour::State;
use crate::behaviour::carrier::{enters, leaves};
use crate::behaviour::evpn::tag_of;
use crate::behaviour::host::nics_in_use;
use crate::fabric::{
    DeviceId, EndpointId, EthernetSegmentId, Fabric, LagId, PortId, PseudowireId, SegmentId,
    SettingsId, Uplink, Vrf, VrfId,
};
use crate::id::Id as _;
use crate::value::{
    Activity, BondProtocol, Encapsulation, Family, GatewayKind, IpPrefix, Irb, Mtu, PartnerBy,
    Protocol, Replication, SingleHomed, UdpPort, Unanswered, VlanId, Vni,
};

/// How two endpoints stand to each other.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) enum Relation {
    SameHost,
    SameSwitches,
    SomeSwitches,
    Apart,
}

pub(super) type Switches = SmallVec<[DeviceId; 4]>;

/// What an endpoint is alike in, and where it hangs.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(super) struct Spot {
    pub(super) class: u32,
    /// The host of an endpoint.
    pub(super) host: Option<DeviceId>,
    pub(super) switches: Switches,
    /// A number for how it hangs there: those of one number lose and keep the same whatever is lost but their own cables.
    hangs: u32,
}

/// The classes of endpoints, found as they are asked for.
pub(super) struct Classes<'l> {
    leaves: &'l Leaves,
    known: FxHashMap<Alike, u32>,
    hangs: FxHashMap<Hangs, u32>,
}

impl<'l> Classes<'l> {
    pub(super) fn of(leaves: &'l Leaves) -> Self {
        Self { leaves, known: FxHashMap::default(), hangs: FxHashMap::default() }
    }

    pub(super) fn spot(&mut self, state: &State, endpoint: EndpointId) -> Spot {
        let (alike, switches) = alike(state, self.leaves, endpoint);
        let class = numbered(&mut self.known, alike);
        let hangs = numbered(&mut self.hangs, Hangs::of(state, endpoint));
        Spot { class, host: Some(state.host_of(endpoint)), switches, hangs }
    }

    /// A spot that is like no other.
    pub(super) fn alone(&mut self) -> Spot {
        let next = u32::try_from(self.known.len()).unwrap_or(u32::MAX);
        let alike = Alike { odd: Some(Odd::Asked(next)), ..Alike::default() };
        self.known.insert(alike, next);
        Spot { class: next, host: None, switches: Switches::new(), hangs: u32::MAX }
    }
}

/// How endpoints hang on the fabric, numbered as they are asked for.
#[derive(Default)]
pub(super) struct Hanging {
    known: FxHashMap<(Hangs, SmallVec<[Way; 2]>), u32>,
}

/// The VLAN that frames come into by a NIC, whether it has a link, and the MTUs at both ends of its cable.
type Way = (Option<VlanId>, bool, [Option<u32>; 2]);

impl Hanging {
    /// A number for how an endpoint hangs, and the switches that it hangs on.
    pub(super) fn of(&mut self, state: &State, endpoint: EndpointId) -> (u32, Switches) {
        let hangs = Hangs::of(state, endpoint);
        let mut switches: Switches = hangs.legs.iter().flatten().map(|leg| leg.switch).collect();
        switches.sort_unstable();
        switches.dedup();
        (numbered(&mut self.known, (hangs, ways(state, endpoint))), switches)
    }
}

/// By what each NIC of an endpoint's uplink leads into the fabric.
fn ways(state: &State, id: EndpointId) -> SmallVec<[Way; 2]> {
    let fabric = state.fabric();
    let network = state.network_of(id).map(|network| fabric.network(network));
    let tag = network.and_then(|network| tag_of(fabric.endpoint(id), network));
    let nics = network.map(|network| fabric.uplink_ports(network.uplink));
    let way = |nic: PortId| {
        let far = fabric.link(nic).map(|(_, far)| far);
        let vlan = far.zip(tag).and_then(|(far, tag)| enters(fabric, far, tag));
        let most = |port: PortId| fabric.most_at(port).map(|mtu| mtu.get());
        let mtus = [most(nic), far.and_then(most)];
        (vlan, state.far(nic).is_some(), mtus)
    };
    nics.into_iter().flatten().map(way).collect()
}

/// The number of a thing: those that are equal have one.
fn numbered<K: std::hash::Hash + Eq>(known: &mut FxHashMap<K, u32>, key: K) -> u32 {
    let next = u32::try_from(known.len()).unwrap_or(u32::MAX);
    *known.entry(key).or_insert(next)
}

pub(super) fn relation(a: &Spot, b: &Spot) -> Relation {
    match are_on_one_host(a, b) {
        true => Relation::SameHost,
        false => between(&a.switches, &b.switches),
    }
}

fn are_on_one_host(a: &Spot, b: &Spot) -> bool {
    a.host.is_some() && a.host == b.host
}

fn between(one: &Switches, other: &Switches) -> Relation {
    match one.iter().filter(|switch| other.contains(switch)).count() {
        0 => Relation::Apart,
        _ if one == other => Relation::SameSwitches,
        _ => Relation::SomeSwitches,
    }
}

/// Two that stand for all of their classes that are to each other as they: the first of such in the order of the asked.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Kind {
    pub(super) from: usize,
    pub(super) to: usize,
    pub(super) key: (u32, u32, Relation),
}

/// The kinds of pairs from some to others, in the order of their first pairs; some pairs are none.
pub(super) fn kinds(from: &[Spot], to: &[Spot], not: impl Fn(usize, usize) -> bool) -> Vec<Kind> {
    let mut first: FxHashMap<(u32, u32, Relation), (usize, usize)> = FxHashMap::default();
    for kind in placed(from, to, not) {
        let pair = (kind.from, kind.to);
        let known = first.entry(kind.key).or_insert(pair);
        *known = pair.min(*known);
    }
    let kind = |(key, (from, to))| Kind { from, to, key };
    let mut kinds: Vec<Kind> = first.into_iter().map(kind).collect();
    kinds.sort_unstable_by_key(|kind| (kind.from, kind.to));
    kinds
}

/// As [`kinds`], but a pair for each two that are alike and hang alike, in any order: whatever is lost but a host's own
/// cable, others of them fare as these.
pub(super) fn placed(from: &[Spot], to: &[Spot], not: impl Fn(usize, usize) -> bool) -> Vec<Kind> {
    let (groups_from, groups_to) = (Group::all(from), Group::all(to));
    let mut found = Vec::new();
    for ours in &groups_from {
        for theirs in &groups_to {
            let firsts =
                ours.firsts.iter().flat_map(|&a| theirs.firsts.iter().map(move |&b| (a, b)));
            let apart = |&(a, b): &(usize, usize)| !are_on_one_host(&from[a], &to[b]) && !not(a, b);
            let Some((a, b)) = firsts.filter(apart).min() else { continue };
            let relation = between(&from[a].switches, &to[b].switches);
            found.push(Kind { from: a, to: b, key: (from[a].class, to[b].class, relation) });
        }
    }
    // Those on one host.
    let mut on_host: FxHashMap<DeviceId, Vec<usize>> = FxHashMap::default();
    for (place, spot) in to.iter().enumerate() {
        if let Some(host) = spot.host {
            on_host.entry(host).or_default().push(place);
        }
    }
    let mut known: FxHashSet<[(u32, u32); 2]> = FxHashSet::default();
    for (a, spot) in from.iter().enumerate() {
        let beside = spot.host.and_then(|host| on_host.get(&host)).into_iter().flatten();
        for &b in beside.filter(|&&b| !not(a, b)) {
            if known.insert([spot, &to[b]].map(|spot| (spot.class, spot.hangs))) {
                let key = (spot.class, to[b].class, Relation::SameHost);
                found.push(Kind { from: a, to: b, key });
            }
        }
    }
    found
}

/// Those of a class that hang alike.
pub(super) struct Group {
    /// The first of each of the first two hosts: of these is the first pair with any other group.
    pub(super) firsts: SmallVec<[usize; 2]>,
}

impl Group {
    pub(super) fn all(spots: &[Spot]) -> Vec<Self> {
        let mut known: FxHashMap<(u32, u32), usize> = FxHashMap::default();
        let mut groups: Vec<Self> = Vec::new();
        for (place, spot) in spots.iter().enumerate() {
            let next = groups.len();
            let at = *known.entry((spot.class, spot.hangs)).or_insert(next);
            if at == next {
                groups.push(Self { firsts: SmallVec::new() });
            }
            let firsts = &mut groups[at].firsts;
            let known = firsts.iter().any(|&first| are_on_one_host(&spots[first], spot));
            if firsts.len() < 2 && !known {
                firsts.push(place);
            }
        }
        groups
    }
}

/// With which tag frames are sent, or without one; or not at all.
#[allow(clippy::option_option, reason = "untagged is not the same as not at all")]
type Tag = Option<Option<VlanId>>;

/// A segment as a VTEP has it.
type PresenceKey = (SegmentId, Option<VlanId>, Option<Vni>, SettingsId, Option<VrfId>);

/// A VRF as a VTEP has it; its targets as a text.
type VrfKey = (VrfId, Option<Vni>, Option<Irb>, bool, String);

/// What makes two endpoints alike.
#[derive(Default, PartialEq, Eq, Hash)]
struct Alike {
    entries: SmallVec<[Entry; 4]>,
    tag: Tag,
    subnets: SmallVec<[IpPrefix; 2]>,
    gateways: SmallVec<[IpAddr; 2]>,
    segments: SmallVec<[SegmentId; 1]>,
    mtu: Option<Mtu>,
    /// What is like nobody.
    odd: Option<Odd>,
}

/// Why one is like nobody.
#[derive(PartialEq, Eq, Hash)]
enum Odd {
    /// It shares an address or a MAC address with another.
    Shares(EndpointId),
    /// It is no endpoint, or asked by one of its addresses.
    Asked(u32),
}

/// A port of a switch that an endpoint's frames come in by.
#[derive(PartialEq, Eq, PartialOrd, Ord, Hash)]
struct Entry {
    leaf: u32,
    vlan: Option<VlanId>,
    back: Tag,
    grouped: bool,
    both_up: bool,
    es: Option<EthernetSegmentId>,
    /// The pseudowire that its cable leads into.
    wire: Option<PseudowireId>,
    /// The MTUs at both ends of the cable.
    mtus: [Option<u32>; 2],
}

fn alike(state: &State, all: &Leaves, id: EndpointId) -> (Alike, Switches) {
    let fabric = state.fabric();
    let endpoint = fabric.endpoint(id);
    let network = state.network_of(id).map(|network| fabric.network(network));
    let tag = network.and_then(|network| tag_of(endpoint, network));
    let nics = network
        .map(|network| nics_in_use(fabric, state.fars(), &state.members, id, network.uplink));
    let mut switches = Switches::new();
    let mut entries: SmallVec<[Entry; 4]> = SmallVec::new();
    let legs = nics.into_iter().flatten().filter_map(|nic| Some((nic, state.far(nic)?)));
    for (nic, port) in legs {
        let switch = fabric.port(port).device;
        if !switches.contains(&switch) {
            switches.push(switch);
        }
        let vlan = tag.and_then(|tag| state.carriers().comes_in(port, tag));
        let lag = fabric.lag_of(port);
        let group = lag.and_then(|lag| fabric.lag(lag).group);
        entries.push(Entry {
            leaf: all.class_of(switch),
            vlan,
            back: vlan.and_then(|vlan| leaves(fabric, port, vlan)),
            grouped: group.is_some(),
            both_up: group.is_some_and(|group| {
                let halves = fabric.group(group).halves;
                halves.iter().all(|half| half.is_some_and(|half| state.lag(half).up))
            }),
            es: lag.and_then(|lag| fabric.lag(lag).segment),
            wire: wire_at(fabric, nic),
            mtus: [nic, port].map(|port| fabric.most_at(port).map(|mtu| mtu.get())),
        });
    }
    switches.sort_unstable();
    entries.sort_unstable();
    let shared =
        endpoint.addresses.iter().any(|address| fabric.endpoints_with(address.address()).len() > 1);
    let alike = Alike {
        entries,
        tag,
        subnets: endpoint.addresses.iter().map(|address| address.subnet()).collect(),
        gateways: endpoint.gateways.iter().map(|gateway| gateway.value).collect(),
        segments: state.segments_of(id),
        mtu: endpoint.mtu.map(|mtu| mtu.value),
        odd: (shared || all.macs.get(&endpoint.mac.value).is_some_and(|&count| count > 1))
            .then_some(Odd::Shares(id)),
    };
    (alike, switches)
}

/// By what an endpoint hangs on the fabric: all NICs of its uplink, those that stand by too.
#[derive(PartialEq, Eq, Hash)]
struct Hangs {
    legs: SmallVec<[Option<Leg>; 4]>,
    /// How a bond uses its NICs, and which of them first.
    bond: Option<(BondProtocol, Option<usize>)>,
    /// How it aggregates them, if it does.
    lag: Option<LagSettings>,
    /// An endpoint that a bond keeps on one of several NICs goes elsewhere than others when some are lost.
    kept: Option<EndpointId>,
}

/// What is at the other end of a NIC's cable, if that has a link.
#[derive(PartialEq, Eq, Hash)]
struct Leg {
    switch: DeviceId,
    /// The place of the member in its stack.
    member: Option<u8>,
    lag: Option<LagSettings>,
    /// The pseudowire that the cable leads into.
    wire: Option<PseudowireId>,
}

/// What decides whether a LAG end is up with fewer members: what it speaks, how, with whom, from how many on.
type LagSettings = (Protocol, Activity, Unanswered, PartnerBy, u16, usize, bool);

impl Hangs {
    fn of(state: &State, id: EndpointId) -> Self {
        let fabric = state.fabric();
        let uplink = state.network_of(id).map(|network| fabric.network(network).uplink);
        let bond = match uplink {
            Some(Uplink::Bond(bond)) => Some(fabric.bond(bond)),
            _ => None,
        };
        let nics: SmallVec<[PortId; 4]> = match (uplink, bond) {
            (_, Some(bond)) => bond.nics.iter().map(|nic| nic.value).collect(),
            (Some(Uplink::Nic(nic)), _) => SmallVec::from_iter([nic]),
            _ => SmallVec::new(),
        };
        let leg = |&nic: &PortId| {
            let far = state.far(nic)?;
            let lag = fabric.lag_of(far).map(|lag| lag_settings(state, lag));
            let (switch, member) = (fabric.port(far).device, member_at(state, far));
            Some(Leg { switch, member, lag, wire: wire_at(fabric, nic) })
        };
        let keeps = |protocol| matches!(protocol, BondProtocol::ByGuest | BondProtocol::BySource);
        let place = |nic: PortId| nics.iter().position(|&other| other == nic);
        Self {
            legs: nics.iter().map(leg).collect(),
            bond: bond
                .map(|bond| (bond.protocol.value, bond.active.and_then(|nic| place(nic.value)))),
            lag: bond.and_then(|bond| bond.lag).map(|lag| lag_settings(state, lag)),
            kept: bond.filter(|bond| keeps(bond.protocol.value) && nics.len() > 2).map(|_| id),
        }
    }
}

fn lag_settings(state: &State, lag: LagId) -> LagSettings {
    let lag = state.fabric().lag(lag);
    (
        lag.protocol.value,
        lag.mode.value,
        lag.unanswered.value,
        lag.partner_by,
        lag.min_members.value,
        lag.members.len(),
        lag.group.is_some(),
    )
}

/// The end of a pseudowire that the cable of a NIC leads into.
fn wire_at(fabric: &Fabric, nic: PortId) -> Option<PseudowireId> {
    fabric.link(nic).and_then(|(_, far)| fabric.pseudowire_at(far))
}

/// The place in its stack of the member that a port is of.
fn member_at(state: &State, port: PortId) -> Option<u8> {
    let fabric = state.fabric();
    let members = &fabric.stack(fabric.device(fabric.port(port).device).stack?).members;
    let place = members.iter().position(|member| member.ports.contains(port))?;
    u8::try_from(place).ok()
}

/// The classes of switches that behave equally.
pub(super) struct Leaves {
    of: FxHashMap<DeviceId, u32>,
    macs: FxHashMap<crate::value::MacAddr, u32>,
}

/// What makes two VTEPs alike.
#[derive(PartialEq, Eq, Hash)]
struct LeafKey {
    segments: Vec<PresenceKey>,
    vrfs: Vec<VrfKey>,
    settings: (Encapsulation, UdpPort, Replication, Irb, bool, bool, SingleHomed),
    /// What EVPN brings: to which classes of speakers its routes get, and whose get to it.
    told: Vec<(bool, bool, bool)>,
    /// By which parts of the underlay it is joined to others.
    joined: Vec<bool>,
    /// Whether it is of a pair whose peer link is up.
    paired: Option<bool>,
}

impl Leaves {
    pub(super) fn of(state: &State) -> Self {
        let fabric = state.fabric();
        let mut macs = FxHashMap::default();
        for (_, endpoint) in fabric.endpoints() {
            *macs.entry(endpoint.mac.value).or_default() += 1;
        }
        let mut leaves = Self { of: FxHashMap::default(), macs };
        // Where a place in the fabric matters beyond this, every switch is a class of its own.
        let anycast = |kind: GatewayKind| kind == GatewayKind::Anycast;
        let plain = fabric.static_routes().is_empty()
            && fabric.pseudowires().len() == 0
            && !state.underlay().bgp.is_used()
            && fabric.settings.values().all(|s| anycast(s.gateway_kind.value));
        if !plain {
            return leaves;
        }
        let named: Vec<DeviceId> = fabric
            .leaks
            .values()
            .flat_map(|leak| leak.on.iter().flatten().copied())
            .chain(fabric.outsides.values().flat_map(|outside| outside.on.iter().copied()))
            .collect();
        let mut owners: FxHashMap<IpAddr, Switches> = FxHashMap::default();
        for (_, overlay) in fabric.overlays() {
            if let Some(vtep) = overlay.vtep {
                owners.entry(vtep.value).or_default().push(overlay.device);
            }
        }
        let speakers = state.bgp().speakers(fabric);
        let mut known: FxHashMap<LeafKey, u32> = FxHashMap::default();
        for (_, overlay) in fabric.overlays() {
            let device = overlay.device;
            let alone = overlay.vtep.is_none_or(|vtep| {
                let owners = &owners[&vtep.value];
                owners.iter().any(|&o| o != device && fabric.pair_of(o, device).is_none())
            });
            let Some(router) = fabric.device(device).router.filter(|_| !alone) else { continue };
            if named.contains(&device) {
                continue;
            }
            let key = leaf_key(state, device, router, &speakers);
            let next = u32::try_from(known.len()).unwrap_or(u32::MAX);
            leaves.of.insert(device, *known.entry(key).or_insert(next));
        }
        leaves
    }

    /// The class of a switch: one that is like no other has the number of its own id, from the end.
    fn class_of(&self, switch: DeviceId) -> u32 {
        let own = u32::try_from(switch.index()).unwrap_or(0);
        self.of.get(&switch).copied().unwrap_or(u32::MAX - own)
    }
}

fn leaf_key(
    state: &State,
    device: DeviceId,
    router: crate::fabric::RouterId,
    speakers: &[crate::fabric::RouterId],
) -> LeafKey {
    let fabric = state.fabric();
    let overlay = fabric.overlay_of(device).expect("asked of VTEPs only");
    let segments = fabric.presences_on(device).iter().map(|&id| {
        let at = fabric.presence(id);
        let vlan = at.vlan.map(|vlan| vlan.value);
        let vrf = at.vrf.map(|vrf| vrf.value);
        (at.segment, vlan, at.vni.map(|vni| vni.value), at.settings, vrf)
    });
    let vrf = |(id, vrf): (VrfId, &Vrf)| {
        let place = vrf.place_of(device)?;
        let at = &vrf.switches[place];
        let targets = state.evpn().tenant(id, place).map(|instance| {
            format!("{:?}{:?}{}", instance.import, instance.export, instance.any_as)
        });
        let irb = at.irb.map(|irb| irb.value);
        let vni = at.vni.map(|vni| vni.value);
        Some((id, vni, irb, at.advertise_subnets, targets.unwrap_or_default()))
    };
    let told = speakers.iter().map(|&speaker| {
        let there = state.bgp().verdict(fabric, Family::Evpn, router, speaker);
        let here = state.bgp().verdict(fabric, Family::Evpn, speaker, router);
        let sound =
            [there, here].into_iter().flatten().all(|v| v.communities && v.rewritten.is_none());
        // To itself nobody is brought anything.
        (there.is_some() || speaker == router, here.is_some() || speaker == router, sound)
    });
    let joined = speakers.iter().map(|&speaker| {
        let loopback = fabric.router(speaker).loopbacks.first();
        loopback.is_some_and(|loopback| {
            speaker == router || state.delivers(router, loopback.address()).is_ok()
        })
    });
    let paired = fabric
        .device(device)
        .pair
        .map(|(pair, side)| fabric.pair(pair).sides[side].links().all(|link| state.lag(link).up));
    LeafKey {
        segments: segments.collect(),
        vrfs: fabric.vrfs().filter_map(vrf).collect(),
        settings: (
            overlay.encapsulation.value,
            overlay.udp_port.value,
            overlay.replication.value,
            overlay.irb.value,
            overlay.suppression,
            overlay.advertise_gateways,
            overlay.single_homed,
        ),
        told: told.collect(),
        joined: joined.collect(),
        paired,
    }
}
