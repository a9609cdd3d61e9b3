//! The underlay: who is whose neighbor, what is advertised, and which way packets go.
//!
//! Adjacencies and what can be reached are computed once. Next hops are quadratic, so they are
//! computed for one destination at a time, when asked.

pub(crate) mod adjacency;
mod lost;
mod paths;
mod table;
mod wan;

use std::collections::BTreeSet;
use std::hash::Hash;
use std::net::IpAddr;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

pub use adjacency::{Adjacency, AdjacencyFault, AdjacencyId};
pub(super) use adjacency::{Beneath, link_up};
pub use lost::LostWay;
pub use paths::{Hop, Route, RouteSource, Toward};
pub(crate) use paths::{Next, Step, Towards};
pub use wan::WrongTag;

use super::bgp::{Bgp, Heard};
use super::cause::Causes;
use super::gateway::is_gateway;
use super::link::Far;
use crate::fabric::{
    Condition, DeviceId, Fabric, InterfaceId, InterfacePlace, PortId, RouterId, StaticRoute, WanId,
};
use crate::id::{IdVec, typed_id};
use crate::value::{Advertised, Family, IpPrefix, IsolatedBy, UnderlayProtocol};

typed_id! {
    /// A part of an underlay in which every router knows every link: an area, or a level of IS-IS.
    pub(crate) DomainId, "domain"
}

/// One way over an adjacency.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Edge {
    pub(crate) to: RouterId,
    pub(crate) near: InterfaceId,
    pub(crate) cost: u32,
    /// What the way back costs, which is that of the end that sends into it.
    pub(crate) back: u32,
    pub(crate) domain: DomainId,
    /// Whether IPv4 and IPv6 packets cross it.
    pub(crate) carries: [bool; 2],
}

impl Edge {
    /// Whether packets of the IP version of a prefix cross it.
    pub(crate) fn carries(&self, prefix: &IpPrefix) -> bool {
        self.carries[version(prefix)]
    }
}

/// The place of a prefix's IP version among the two.
fn version(prefix: &IpPrefix) -> usize {
    usize::from(!prefix.address().is_ipv4())
}

/// Who tells the underlay of a prefix.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Origin {
    pub(crate) router: RouterId,
    pub(crate) what: Advertised,
    /// What the prefix costs at its origin.
    pub(crate) cost: u32,
    /// The domain that it is in, of the prefix of a link; else it is in all of its router's.
    pub(crate) domain: Option<DomainId>,
}

/// What the underlay came to.
#[derive(Clone, Debug)]
pub struct Underlay {
    pub(crate) adjacencies: IdVec<AdjacencyId, Adjacency>,
    pub(crate) of_interface: IdVec<InterfaceId, Option<AdjacencyId>>,
    /// The neighbors of each router by OSPF or IS-IS.
    pub(crate) edges: IdVec<RouterId, SmallVec<[Edge; 4]>>,
    /// Whether a domain is the one to which the others attach.
    pub(crate) backbone: IdVec<DomainId, bool>,
    /// The parts of domains that each router is in, and the parts of backbones that it reaches, for IPv4 and for
    /// IPv6.
    parts: [IdVec<RouterId, Parts>; 2],
    /// The domains that are level 1 of IS-IS, whose routes come before those of level 2.
    level_one: IdVec<DomainId, bool>,
    origins: FxHashMap<IpPrefix, SmallVec<[Origin; 2]>>,
    /// The routers that have each prefix themselves.
    pub(crate) connected: FxHashMap<IpPrefix, SmallVec<[RouterId; 2]>>,
    /// The lengths of all prefixes that are advertised, the longest first.
    lengths: Vec<u8>,
    /// The WAN paths that are up.
    pub(crate) wans: IdVec<WanId, bool>,
    /// Over which links BGP carries the underlay's routes.
    pub(crate) bgp: Bgp,
}

#[derive(Clone, Debug, Default)]
struct Parts {
    /// Those that it is in.
    own: SmallVec<[u32; 2]>,
    /// The domains that these are of.
    domains: SmallVec<[DomainId; 2]>,
    /// The backbones whose prefixes it hears. A router that is in a backbone itself looks at that alone (RFC 2328
    /// section 16.2).
    backbones: SmallVec<[u32; 2]>,
    /// The backbones that hear its prefixes.
    told: SmallVec<[u32; 2]>,
}

/// Why a packet does not get to an address.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum NoRoute {
    /// A router has no route to it.
    Unknown(RouterId),
    /// The way by a static route is down.
    Down(RouterId),
    /// The routes lead in a circle, with a static route of this router's to this prefix in it.
    Circle(RouterId, IpPrefix),
}

/// Which WAN paths packets cross.
pub(super) fn wans(fabric: &Fabric, condition: &Condition) -> IdVec<WanId, bool> {
    let up = fabric.wans.values().map(|wan| wan::is_up(fabric, condition, wan));
    IdVec::of(up.collect::<Vec<_>>())
}

pub(super) fn outcome(
    fabric: &Fabric,
    links: &Beneath<'_>,
    wans: IdVec<WanId, bool>,
    withdrawn: &BTreeSet<DeviceId>,
    causes: &mut Causes,
) -> Underlay {
    let (adjacencies, of_interface) = adjacency::adjacencies(fabric, links, causes);
    let mut domains: FxHashMap<DomainKey, DomainId> = FxHashMap::default();
    let mut backbone: IdVec<DomainId, bool> = IdVec::default();
    let mut level_one: IdVec<DomainId, bool> = IdVec::default();
    let mut edges: IdVec<RouterId, SmallVec<[Edge; 4]>> =
        IdVec::filled(&fabric.routers, SmallVec::new());
    for adjacency in adjacencies.values().filter(|adjacency| adjacency.fault.is_none()) {
        let carries = [true, false]
            .map(|v4| adjacency::carries_version(fabric, adjacency.near, adjacency.far, v4));
        for key in domain_keys(fabric, adjacency) {
            let domain = *domains.entry(key.clone()).or_insert_with(|| {
                level_one.push(matches!(key, DomainKey::LevelOne(_)));
                backbone.push(key.is_backbone())
            });
            for (near, far) in [(adjacency.near, adjacency.far), (adjacency.far, adjacency.near)] {
                let router = |id: InterfaceId| fabric.devices[fabric.interface(id).device].router;
                let (Some(from), Some(to)) = (router(near), router(far)) else { continue };
                let cost = |end: InterfaceId| fabric.interface(end).cost.get();
                let (cost, back) = (cost(near), cost(far));
                edges[from].push(Edge { to, near, cost, back, domain, carries });
            }
        }
    }
    let parts = [0, 1].map(|version| parts(fabric, &edges, &backbone, version));
    let up = |interface: InterfaceId| {
        of_interface[interface]
            .is_none_or(|id| adjacencies[id].fault != Some(AdjacencyFault::LinkDown))
    };
    let of_link = |interface: InterfaceId| {
        let adjacency = of_interface[interface].map(|id| &adjacencies[id])?;
        // What is of both levels is in all domains of its router.
        let [ref key] = domain_keys(fabric, adjacency)[..] else { return None };
        domains.get(key).copied().filter(|_| adjacency.fault.is_none())
    };
    let (origins, lengths) = origins(fabric, &up, &of_link, &wans, withdrawn);
    let mut underlay = Underlay {
        adjacencies,
        of_interface,
        edges,
        backbone,
        level_one,
        parts,
        origins,
        connected: FxHashMap::default(),
        lengths,
        wans,
        bgp: Bgp::default(),
    };
    underlay.bgp = Bgp::over_links(fabric, &underlay, causes);
    underlay.connected = connected(fabric, &underlay);
    underlay
}

/// The prefixes that routers have themselves: loopbacks, VTEP addresses, links that are up, and segments.
fn connected(fabric: &Fabric, underlay: &Underlay) -> FxHashMap<IpPrefix, SmallVec<[RouterId; 2]>> {
    let mut found: FxHashMap<IpPrefix, SmallVec<[RouterId; 2]>> = FxHashMap::default();
    for (id, router) in fabric.routers.iter() {
        let mut add = |prefix: IpPrefix| {
            let known = found.entry(prefix).or_default();
            if known.last() != Some(&id) {
                known.push(id);
            }
        };
        segment_subnets(fabric, router.device).for_each(&mut add);
        router.loopbacks.iter().map(|loopback| loopback.prefix()).for_each(&mut add);
        fabric
            .vtep_of(router.device)
            .into_iter()
            .map(|v| IpPrefix::host(v.value))
            .for_each(&mut add);
        for interface in router.interfaces.iter() {
            let up = underlay.adjacency_of(interface).is_none_or(Adjacency::carries_packets);
            let interface = fabric.interface(interface);
            if up && interface.vrf.is_none() {
                interface.addresses.iter().map(|address| address.subnet()).for_each(&mut add);
            }
        }
    }
    found
}

/// What makes two links be of one domain.
#[derive(Clone, PartialEq, Eq, Hash)]
enum DomainKey {
    Ospf(crate::value::Area),
    LevelOne(crate::value::Area),
    LevelTwo,
}

impl DomainKey {
    /// RFC 2328 section 3.1 for OSPF; level 2 joins the areas of IS-IS.
    fn is_backbone(&self) -> bool {
        match self {
            Self::Ospf(area) => *area == crate::value::Area::backbone(),
            Self::LevelOne(_) => false,
            Self::LevelTwo => true,
        }
    }
}

fn domain_keys(fabric: &Fabric, adjacency: &Adjacency) -> SmallVec<[DomainKey; 2]> {
    let (near, far) = (fabric.interface(adjacency.near), fabric.interface(adjacency.far));
    let mut keys = SmallVec::new();
    match adjacency.protocol {
        UnderlayProtocol::Ospf => keys.push(DomainKey::Ospf(near.area.value.clone())),
        UnderlayProtocol::Isis => {
            let (one, two) = adjacency::levels(near, far);
            if one {
                keys.push(DomainKey::LevelOne(near.area.value.clone()));
            }
            if two {
                keys.push(DomainKey::LevelTwo);
            }
        }
        UnderlayProtocol::Bgp | UnderlayProtocol::None => {}
    }
    keys
}

/// Numbers the connected parts of each domain.
fn parts(
    fabric: &Fabric,
    edges: &IdVec<RouterId, SmallVec<[Edge; 4]>>,
    backbone: &IdVec<DomainId, bool>,
    version: usize,
) -> IdVec<RouterId, Parts> {
    let mut seen: FxHashMap<(RouterId, DomainId), u32> = FxHashMap::default();
    let mut parts: IdVec<RouterId, Parts> = IdVec::filled(&fabric.routers, Parts::default());
    let mut of_backbone: Vec<bool> = Vec::new();
    let mut queue = Vec::new();
    for start in fabric.routers.ids() {
        for edge in edges[start].iter().filter(|edge| edge.carries[version]) {
            if seen.contains_key(&(start, edge.domain)) {
                continue;
            }
            let part = u32::try_from(of_backbone.len()).unwrap_or(u32::MAX);
            of_backbone.push(backbone[edge.domain]);
            queue.push(start);
            seen.insert((start, edge.domain), part);
            while let Some(router) = queue.pop() {
                parts[router].own.push(part);
                parts[router].domains.push(edge.domain);
                let inside = |next: &&Edge| next.domain == edge.domain && next.carries[version];
                for next in edges[router].iter().filter(inside) {
                    if seen.insert((next.to, edge.domain), part).is_none() {
                        queue.push(next.to);
                    }
                }
            }
        }
    }
    // An area knows the backbones that a router of it is also in.
    let mut attached: FxHashMap<u32, SmallVec<[u32; 2]>> = FxHashMap::default();
    for router in parts.values() {
        for &part in &router.own {
            let backbones = router.own.iter().filter(|&&other| of_backbone[other as usize]);
            let known = attached.entry(part).or_default();
            for &other in backbones {
                if !known.contains(&other) {
                    known.push(other);
                }
            }
        }
    }
    let ids: Vec<RouterId> = parts.ids().collect();
    for router in ids {
        let own = parts[router].own.clone();
        let mut told: SmallVec<[u32; 2]> = SmallVec::new();
        for &other in own.iter().flat_map(|part| &attached[part]) {
            if !told.contains(&other) {
                told.push(other);
            }
        }
        let inside: SmallVec<[u32; 2]> =
            own.iter().copied().filter(|&part| of_backbone[part as usize]).collect();
        parts[router].backbones = if inside.is_empty() { told.clone() } else { inside };
        parts[router].told = told;
    }
    parts
}

/// What a segment's subnet costs at its router: what a link costs, where nothing is written.
const SEGMENT_COST: u32 = 10;

/// The subnets of segments in which a switch has an address outside any VRF.
pub(crate) fn segment_subnets(
    fabric: &Fabric,
    device: DeviceId,
) -> impl Iterator<Item = IpPrefix> + '_ {
    let own = fabric.presences_on(device).iter();
    own.filter(|&&presence| fabric.presence(presence).vrf.is_none()).flat_map(|&presence| {
        let settings = fabric.settings_at(presence);
        let gateway = !settings.gateways.is_empty() && is_gateway(fabric, presence);
        let shared = settings.subnets.iter().filter(move |_| gateway).map(|subnet| subnet.value);
        settings.addresses.iter().map(|address| address.subnet()).chain(shared)
    })
}

type Origins = FxHashMap<IpPrefix, SmallVec<[Origin; 2]>>;

/// Who advertises what.
fn origins(
    fabric: &Fabric,
    up: &dyn Fn(InterfaceId) -> bool,
    of_link: &dyn Fn(InterfaceId) -> Option<DomainId>,
    wans: &IdVec<WanId, bool>,
    withdrawn: &BTreeSet<DeviceId>,
) -> (Origins, Vec<u8>) {
    let mut origins = Origins::default();
    for (id, router) in fabric.routers.iter() {
        let mut add = |prefix: IpPrefix, what: Advertised, cost: u32, domain: Option<DomainId>| {
            let known = origins.entry(prefix).or_default();
            let origin = Origin { router: id, what, cost, domain };
            if !known.iter().any(|other| other.router == id) {
                known.push(origin);
            }
        };
        let says = |what: Advertised| router.advertised.iter().any(|one| one.value == what);
        if router.protocol.is_none_or(|protocol| protocol.value == UnderlayProtocol::None) {
            continue;
        }
        if says(Advertised::Loopbacks) {
            for loopback in &router.loopbacks {
                add(loopback.prefix(), Advertised::Loopbacks, 0, None);
            }
        }
        if says(Advertised::Vteps)
            && !withdrawn.contains(&router.device)
            && let Some(address) = fabric.vtep_of(router.device)
        {
            add(IpPrefix::host(address.value), Advertised::Vteps, 0, None);
        }
        if says(Advertised::Links) {
            let interfaces = router.interfaces.iter().filter(|&id| up(id));
            for (link, interface) in interfaces.map(|id| (id, fabric.interface(id))) {
                let runs = interface.protocol.value != UnderlayProtocol::None;
                for address in
                    interface.addresses.iter().filter(|_| runs && interface.vrf.is_none())
                {
                    add(address.subnet(), Advertised::Links, interface.cost.get(), of_link(link));
                }
            }
        }
        if says(Advertised::Segments) {
            for subnet in segment_subnets(fabric, router.device) {
                add(subnet, Advertised::Segments, SEGMENT_COST, None);
            }
        }
    }
    let used = fabric.static_routes.iter().filter(|route| table::is_used(fabric, route, wans));
    for route in used.filter(|route| route.vrf.is_none()) {
        let Some(id) = fabric.devices[route.device].router else { continue };
        let router = &fabric.routers[id];
        let runs = router.protocol.is_some_and(|p| p.value != UnderlayProtocol::None);
        if runs && router.advertised.iter().any(|one| one.value == Advertised::Static) {
            let known = origins.entry(route.to.value).or_default();
            if !known.iter().any(|other| other.router == id) {
                known.push(Origin { router: id, what: Advertised::Static, cost: 0, domain: None });
            }
        }
    }
    let mut lengths: Vec<u8> = origins.keys().map(IpPrefix::length).collect();
    lengths.sort_unstable_by(|a, b| b.cmp(a));
    lengths.dedup();
    (origins, lengths)
}

impl Underlay {
    /// The pairs of interfaces that face each other, with what became of each.
    pub fn adjacencies(&self) -> impl ExactSizeIterator<Item = (AdjacencyId, &Adjacency)> {
        self.adjacencies.iter()
    }

    /// The adjacency of an interface, if anything faces it.
    pub fn adjacency_of(&self, interface: InterfaceId) -> Option<&Adjacency> {
        self.of_interface[interface].map(|id| &self.adjacencies[id])
    }

    /// All prefixes that some router advertises, in order.
    pub fn prefixes(&self) -> Vec<IpPrefix> {
        let mut all: Vec<IpPrefix> = self.origins.keys().copied().collect();
        all.sort_unstable();
        all
    }

    /// The routers that advertise a prefix.
    pub fn advertisers(&self, prefix: &IpPrefix) -> Vec<RouterId> {
        self.origins(prefix).iter().map(|origin| origin.router).collect()
    }

    pub(crate) fn origins(&self, prefix: &IpPrefix) -> &[Origin] {
        self.origins.get(prefix).map_or(&[], SmallVec::as_slice)
    }

    /// Whether a router hears what another advertises.
    pub(crate) fn hears(
        &self,
        fabric: &Fabric,
        from: RouterId,
        origin: &Origin,
        prefix: &IpPrefix,
        heard: &mut Heard,
    ) -> bool {
        if from == origin.router {
            return true;
        }
        let family = prefix.family();
        self.joined(from, origin, prefix)
            || self.bgp.hears(fabric, family, from, origin.router, prefix, heard)
    }

    /// Whether OSPF or IS-IS tells a router what another advertises.
    pub(super) fn joined(&self, from: RouterId, origin: &Origin, prefix: &IpPrefix) -> bool {
        let parts = &self.parts[version(prefix)];
        let (a, b) = (&parts[from], &parts[origin.router]);
        let shares = |x: &[u32], y: &[u32]| x.iter().any(|part| y.contains(part));
        let Some(domain) = origin.domain else {
            return shares(&a.own, &b.own) || shares(&a.backbones, &b.told);
        };
        let part = b.domains.iter().position(|&own| own == domain).map(|place| b.own[place]);
        let Some(part) = part else { return false };
        match self.backbone[domain] {
            true => a.backbones.contains(&part),
            false => a.own.contains(&part) || shares(&a.backbones, &b.told),
        }
    }

    /// Numbers for what routers are led to: those of one number reach the same addresses, but for their own and
    /// those of their links.
    pub(super) fn views(&self, fabric: &Fabric) -> IdVec<RouterId, u32> {
        self.views_with(fabric, &self.bgp)
    }

    /// As [`views`](Self::views), with the routes that BGP brings.
    pub(super) fn views_with(&self, fabric: &Fabric, bgp: &Bgp) -> IdVec<RouterId, u32> {
        let written: rustc_hash::FxHashSet<DeviceId> =
            fabric.static_routes.iter().map(|route| route.device).collect();
        let diverts = self.diverts(fabric);
        self.numbered(fabric, |id| {
            let alone = diverts || written.contains(&fabric.router(id).device);
            (bgp.class_of(id), alone.then_some(id))
        })
    }

    /// Numbers for what routers are led to by what nothing tells apart: those of one number reach an address or don't,
    /// but for those that [`told_apart_by`](Self::told_apart_by) names.
    pub(super) fn groups(&self, fabric: &Fabric) -> IdVec<RouterId, u32> {
        self.numbered(fabric, |id| {
            [Family::Ipv4, Family::Ipv6].map(|family| self.bgp.color(fabric, family, id))
        })
    }

    /// Numbers for the parts of OSPF and IS-IS that routers are in and hear, with one more mark of each.
    fn numbered<M: Eq + Hash>(
        &self,
        fabric: &Fabric,
        mark: impl Fn(RouterId) -> M,
    ) -> IdVec<RouterId, u32> {
        let mut known: FxHashMap<_, u32> = FxHashMap::default();
        let number = |id: RouterId| {
            let led = [0, 1].map(|version: usize| {
                let Parts { own, backbones, told, .. } = &self.parts[version][id];
                (&own[..], &backbones[..], &told[..])
            });
            let next = u32::try_from(known.len()).unwrap_or(u32::MAX);
            *known.entry((led, mark(id))).or_insert(next)
        };
        IdVec::of(fabric.routers.ids().map(number).collect())
    }

    /// The routers that may be led to an address otherwise than others of their group, those together that are led
    /// alike if they are of one group; none if each may be led otherwise.
    pub(super) fn told_apart_by(
        &self,
        fabric: &Fabric,
        address: IpAddr,
    ) -> Option<Vec<(SmallVec<[u32; 4]>, RouterId)>> {
        let written = |route: &StaticRoute| route.vrf.is_none() && route.to.contains(address);
        if fabric.static_routes.iter().any(written) {
            return None;
        }
        let host = IpPrefix::host(address);
        let lengths = self.lengths.iter().filter(|&&length| length <= host.length());
        let prefixes = lengths.map(|&length| host.shortened(length));
        let mut marks: FxHashMap<RouterId, SmallVec<[u32; 4]>> = FxHashMap::default();
        let mut place = 0;
        let mut mark = |router: RouterId, place: u32, number: u32| {
            marks.entry(router).or_default().extend([place, number]);
        };
        for prefix in prefixes {
            for origin in self.origins(&prefix) {
                mark(origin.router, place, 0);
                let apart = self.bgp.told_apart_by(fabric, prefix.family(), origin.router)?;
                for (router, number) in apart {
                    mark(router, place + 1, number);
                }
                place += 2;
            }
        }
        for &owner in self.connected.get(&host).into_iter().flatten() {
            mark(owner, place, 0);
        }
        let mut found: Vec<_> = marks.into_iter().map(|(router, marks)| (marks, router)).collect();
        found.sort_unstable();
        Some(found)
    }

    pub(crate) fn owns(fabric: &Fabric, router: RouterId, address: IpAddr) -> bool {
        let router = &fabric.routers[router];
        router.loopbacks.iter().any(|loopback| loopback.address() == address)
            || fabric.vtep_of(router.device).is_some_and(|vtep| vtep.value == address)
            || router
                .interfaces
                .iter()
                .any(|id| fabric.interface(id).addresses.iter().any(|own| own.address() == address))
    }

    /// The neighbor on a link that has an address.
    fn connected(&self, fabric: &Fabric, router: RouterId, address: IpAddr) -> Option<RouterId> {
        fabric.routers[router].interfaces.iter().find_map(|id| {
            let adjacency =
                self.adjacency_of(id).filter(|adjacency| adjacency.carries_packets())?;
            let far = if adjacency.near == id { adjacency.far } else { adjacency.near };
            let there = fabric.interface(far).addresses.iter().any(|a| a.address() == address);
            fabric.devices[fabric.interface(far).device].router.filter(|_| there)
        })
    }

    /// The most specific advertised prefix that holds an address and that a router hears of.
    fn longest(
        &self,
        fabric: &Fabric,
        from: RouterId,
        address: IpAddr,
        heard: &mut Heard,
    ) -> Option<(IpPrefix, Origin)> {
        let host = IpPrefix::host(address);
        self.lengths.iter().filter(|&&length| length <= host.length()).find_map(|&length| {
            let prefix = host.shortened(length);
            let origins = self.origins.get(&prefix)?;
            let heard = origins
                .iter()
                .find(|o| o.router != from && self.hears(fabric, from, o, &prefix, heard));
            heard.map(|&origin| (prefix, origin))
        })
    }

    /// The interface of a router whose link leads to another.
    fn link_to(&self, fabric: &Fabric, router: RouterId, to: RouterId) -> Option<InterfaceId> {
        fabric.routers[router].interfaces.iter().find(|&id| {
            let adjacency = self.adjacency_of(id).filter(|adjacency| adjacency.carries_packets());
            adjacency.is_some_and(|adjacency| {
                fabric.devices[fabric.interface(adjacency.other(id)).device].router == Some(to)
            })
        })
    }

    /// The routers on links that carry packets.
    pub(crate) fn neighbors(&self, fabric: &Fabric, router: RouterId) -> SmallVec<[RouterId; 8]> {
        let mut found = SmallVec::new();
        for id in fabric.routers[router].interfaces.iter() {
            let Some(adjacency) = self.adjacency_of(id) else { continue };
            let far = if adjacency.near == id { adjacency.far } else { adjacency.near };
            if let Some(next) = fabric.devices[fabric.interface(far).device].router
                && adjacency.carries_packets()
                && !found.contains(&next)
            {
                found.push(next);
            }
        }
        found
    }
}

/// Whether an interface leads to other VTEPs: what is in a tenant's VRF doesn't.
fn is_underlay(interface: &crate::fabric::Interface) -> bool {
    interface.vrf.is_none()
}

/// The leaves that close their legs of Ethernet segments, as they are told to and have lost the core, with the ports:
/// a leaf that nobody reaches would otherwise go on attracting frames. `sessionless` tells who has lost all its
/// sessions, and is asked only where that counts.
pub(super) fn isolated(
    fabric: &Fabric,
    far: &Far,
    sessionless: impl FnOnce() -> BTreeSet<DeviceId>,
) -> (Vec<DeviceId>, Vec<PortId>) {
    let (mut isolated, mut closed) = (Vec::new(), Vec::new());
    let closes = || fabric.overlays.values().filter(|overlay| overlay.core_isolation.value);
    let sessionless = match closes().any(|overlay| overlay.isolated_by == IsolatedBy::Sessions) {
        true => sessionless(),
        false => BTreeSet::new(),
    };
    for overlay in closes() {
        let lost = match overlay.isolated_by {
            IsolatedBy::Links => linkless(fabric, far, overlay.device),
            IsolatedBy::Sessions => sessionless.contains(&overlay.device),
        };
        if !lost {
            continue;
        }
        let legs = fabric.ethernet_segments.values().flat_map(|segment| &segment.legs);
        let own = legs.filter(|&&leg| fabric.lag(leg).device == overlay.device);
        let ports: Vec<PortId> = own
            .flat_map(|&leg| fabric.lag(leg).members.iter())
            .map(|member| fabric.member(member).port.value)
            .collect();
        if !ports.is_empty() {
            isolated.push(overlay.device);
            closed.extend(ports);
        }
    }
    (isolated, closed)
}

/// Whether a router has links to the underlay, and all of them are down.
fn linkless(fabric: &Fabric, far: &Far, device: DeviceId) -> bool {
    let Some(router) = fabric.router_of(device) else { return false };
    let is_up = |interface: &crate::fabric::Interface| match interface.place {
        InterfacePlace::Port(port) => far[port].is_some(),
        InterfacePlace::Lag(lag) => fabric
            .lag(lag)
            .members
            .iter()
            .any(|member| far[fabric.member(member).port.value].is_some()),
        InterfacePlace::Vlan(_) => false,
    };
    let mut own = router
        .interfaces
        .iter()
        .map(|id| fabric.interface(id))
        .filter(|interface| is_underlay(interface))
        .peekable();
    own.peek().is_some() && !own.any(is_up)
}
