//! Who reaches whom among many endpoints: one walk for each two classes that behave equally.
//!
//! Endpoints are alike if they hang on switches that are alike, in the same segment, by uplinks in the same
//! state, and have the same subnets and gateways. VTEPs are alike if they have the same segments and VRFs set
//! alike, and EVPN brings each what it brings the other. So how two endpoints fare is how the first two of
//! their classes do that stand to each other as they: on one host, on the same switches, on some of the same,
//! or apart.

use std::net::IpAddr;

use rayon::prelude::*;
use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::asked::Options;
use super::walker::Walker;
use crate::behaviour::State;
use crate::behaviour::carrier::leaves;
use crate::behaviour::evpn::tag_of;
use crate::behaviour::host::nics_in_use;
use crate::fabric::{
    DeviceId, EndpointId, EthernetSegmentId, NetworkId, SegmentId, SettingsId, Terminal, Vrf, VrfId,
};
use crate::progress::{Progress, Stage};
use crate::value::{
    Encapsulation, Family, GatewayKind, IpPrefix, Irb, Replication, SingleHomed, UdpPort, VlanId,
    Vni,
};

/// How two endpoints stand to each other.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
enum Relation {
    SameHost,
    SameSwitches,
    SomeSwitches,
    Apart,
}

/// Who reaches whom.
#[derive(Clone, Debug)]
pub struct Reach {
    places: FxHashMap<EndpointId, usize>,
    class_of: Vec<u32>,
    hosts: Vec<(DeviceId, Option<NetworkId>)>,
    switches: Vec<Switches>,
    verdicts: FxHashMap<(u32, u32, Relation), bool>,
}

type Switches = SmallVec<[DeviceId; 4]>;

impl Reach {
    /// Whether every packet from one endpoint reaches the other, by whatever equal way, and its reply comes
    /// back; none if one of the two was not asked about, or both are one.
    pub fn reaches(&self, from: EndpointId, to: EndpointId) -> Option<bool> {
        let (a, b) = (*self.places.get(&from)?, *self.places.get(&to)?);
        let relation = relation(self, a, b);
        self.verdicts
            .get(&(self.class_of[a], self.class_of[b], relation))
            .copied()
            .filter(|_| a != b)
    }

    /// How many classes of endpoints there are.
    pub fn classes(&self) -> usize {
        self.class_of.iter().max().map_or(0, |&last| last as usize + 1)
    }

    /// The ordered pairs that reach each other here and no longer in another answer to the same question, in the order
    /// in which the endpoints were asked about.
    ///
    /// ```
    /// # use felting::{Condition, Fabric, Progress, State, walk};
    /// # let fabric = Fabric::from_text("f.toml", &felting::rules::find("expect-failed").unwrap().mended());
    /// let ends: Vec<_> = fabric.endpoints().map(|(id, _)| id).collect();
    /// let quiet = Progress::default();
    /// let whole = State::of(&fabric, &Condition::default(), &quiet);
    /// let cut = whole.given(&Condition::default().cut(&fabric, "bench-1 nic1").unwrap());
    /// let (before, after) = (walk::reach(&whole, &ends, &quiet), walk::reach(&cut, &ends, &quiet));
    /// assert_eq!(before.lost_pairs(&after).count(), 2);
    /// ```
    pub fn lost_pairs<'r>(
        &'r self,
        after: &'r Self,
    ) -> impl Iterator<Item = (EndpointId, EndpointId)> + 'r {
        let mut asked: Vec<(usize, EndpointId)> =
            self.places.iter().map(|(&id, &place)| (place, id)).collect();
        asked.sort_unstable();
        let ids: Vec<EndpointId> = asked.into_iter().map(|(_, id)| id).collect();
        (0..ids.len()).flat_map(move |from| {
            let ids = ids.clone();
            (0..ids.len()).filter_map(move |to| {
                let (from, to) = (ids[from], ids[to]);
                let lost =
                    self.reaches(from, to) == Some(true) && after.reaches(from, to) != Some(true);
                lost.then_some((from, to))
            })
        })
    }

    /// How many ordered pairs reach each other.
    pub fn count(&self) -> usize {
        let all = 0..self.class_of.len();
        let reached = all.clone().into_par_iter().map(|a| {
            let others = all.clone().filter(|&b| {
                let key = (self.class_of[a], self.class_of[b], relation(self, a, b));
                a != b && self.verdicts.get(&key) == Some(&true)
            });
            others.count()
        });
        reached.sum()
    }
}

fn relation(reach: &Reach, a: usize, b: usize) -> Relation {
    if reach.hosts[a].0 == reach.hosts[b].0 {
        return Relation::SameHost;
    }
    let (one, other) = (&reach.switches[a], &reach.switches[b]);
    match one.iter().filter(|switch| other.contains(switch)).count() {
        0 => Relation::Apart,
        _ if one == other => Relation::SameSwitches,
        _ => Relation::SomeSwitches,
    }
}

/// Who reaches whom of some endpoints, walked over all equal ways.
pub fn reach(state: &State, endpoints: &[EndpointId], progress: &Progress) -> Reach {
    let leaves = Leaves::of(state);
    let mut classes: FxHashMap<Alike, u32> = FxHashMap::default();
    let mut reach = Reach {
        places: endpoints.iter().enumerate().map(|(place, &id)| (id, place)).collect(),
        class_of: Vec::with_capacity(endpoints.len()),
        hosts: Vec::with_capacity(endpoints.len()),
        switches: Vec::with_capacity(endpoints.len()),
        verdicts: FxHashMap::default(),
    };
    for &id in endpoints {
        let (alike, switches) = alike(state, &leaves, id);
        let next = u32::try_from(classes.len()).unwrap_or(u32::MAX);
        reach.class_of.push(*classes.entry(alike).or_insert(next));
        reach.hosts.push((state.host_of(id), state.network_of(id)));
        reach.switches.push(switches);
    }
    let mut wanted: FxHashMap<(u32, u32, Relation), (usize, usize)> = FxHashMap::default();
    for a in 0..endpoints.len() {
        for b in (0..endpoints.len()).filter(|&b| b != a) {
            let key = (reach.class_of[a], reach.class_of[b], relation(&reach, a, b));
            wanted.entry(key).or_insert((a, b));
        }
    }
    let mut wanted: Vec<_> = wanted.into_iter().collect();
    wanted.sort_unstable();
    progress.begin(Stage::Walks, wanted.len());
    let share = wanted.len().div_ceil(2 * rayon::current_num_threads()).max(1);
    let walked = wanted.par_chunks(share).flat_map_iter(|share| {
        let mut walker = Walker::new(state);
        let ends = |place: usize| Terminal::Endpoint(endpoints[place], None);
        let all = share.iter().map(move |&(key, (a, b))| {
            progress.advance(1);
            let walk = walker.walk(ends(a), ends(b), Options::ALL);
            (key, walk.is_ok_and(|walk| walk.arrives()))
        });
        all.collect::<Vec<_>>()
    });
    reach.verdicts = walked.collect();
    reach
}

/// With which tag frames are sent, or without one; or not at all.
#[allow(clippy::option_option, reason = "untagged is not the same as not at all")]
type Tag = Option<Option<VlanId>>;

/// A segment as a VTEP has it.
type PresenceKey = (SegmentId, Option<VlanId>, Option<Vni>, SettingsId, Option<VrfId>);

/// A VRF as a VTEP has it; its targets as a text.
type VrfKey = (VrfId, Option<Vni>, Option<Irb>, bool, String);

/// What makes two endpoints alike.
#[derive(PartialEq, Eq, Hash)]
struct Alike {
    entries: SmallVec<[Entry; 4]>,
    tag: Tag,
    subnets: SmallVec<[IpPrefix; 2]>,
    gateways: SmallVec<[IpAddr; 2]>,
    segments: SmallVec<[SegmentId; 1]>,
    /// One that shares an address or a MAC address with another is like nobody.
    odd: Option<EndpointId>,
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
    for port in nics.into_iter().flatten().filter_map(|nic| state.far(nic)) {
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
        odd: (shared || all.macs.get(&endpoint.mac.value).is_some_and(|&count| count > 1))
            .then_some(id),
    };
    (alike, switches)
}

/// The classes of switches that behave equally.
struct Leaves {
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
    fn of(state: &State) -> Self {
        let fabric = state.fabric();
        let mut macs = FxHashMap::default();
        for (_, endpoint) in fabric.endpoints() {
            *macs.entry(endpoint.mac.value).or_default() += 1;
        }
        let mut leaves = Self { of: FxHashMap::default(), macs };
        // Where a place in the fabric matters beyond this, every switch is a class of its own.
        let anycast = |kind: GatewayKind| kind == GatewayKind::Anycast;
        let plain = fabric.static_routes().is_empty()
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
        let speakers = state.bgp().speakers();
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
        let own = u32::try_from(crate::id::Id::index(switch)).unwrap_or(0);
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
