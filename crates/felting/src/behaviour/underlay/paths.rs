//! Which way packets go to one destination: shortest paths, and all that are equal.

use std::cmp::Reverse;
use std::collections::{BTreeSet, BinaryHeap};
use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::{SmallVec, smallvec};

use super::table::{Used, Way};
use super::{DomainId, Edge, NoRoute, Origin, Underlay};
use crate::behaviour::State;
use crate::behaviour::bgp::Heard;
use crate::fabric::{
    DeviceId, Fabric, InterfaceId, InterfacePlace, PortId, RouterId, SessionId, Via, WanId,
};
use crate::id::IdVec;
use crate::value::{IpPrefix, UnderlayProtocol};

/// A next hop: out of an interface to a neighbour.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub struct Hop {
    /// The interface that packets leave by.
    pub interface: InterfaceId,
    /// The neighbour.
    pub to: RouterId,
}

/// From where a router has a route.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum RouteSource {
    /// The prefix is its own.
    Connected,
    /// It is written.
    Static,
    /// By a routing protocol.
    Learned(UnderlayProtocol),
}

/// A router's route to a prefix.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Route {
    /// From where it has it.
    pub source: RouteSource,
    /// The sum of costs; of BGP how many AS numbers are in the path.
    pub metric: u32,
    /// The next hops, all of equal cost, at most as many as the router uses at once.
    pub hops: SmallVec<[Hop; 4]>,
}

/// The routes of all routers to one prefix.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Toward {
    /// The prefix.
    pub prefix: IpPrefix,
    /// Each router's route, if it has one.
    pub routes: IdVec<RouterId, Option<Route>>,
}

/// How a router sends a packet on.
#[derive(Clone, Debug)]
pub(crate) struct Next {
    /// The prefix of its route.
    pub(crate) prefix: IpPrefix,
    /// From where it has the route.
    pub(crate) source: RouteSource,
    /// The route's cost.
    pub(crate) metric: u32,
    /// By what it leads.
    pub(crate) steps: SmallVec<[Step; 4]>,
}

/// By what a route leads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Step {
    /// A neighbour.
    Hop(Hop),
    /// A path over a WAN, to the router at its other end.
    Wan(WanId, RouterId),
}

/// The routes to prefixes that have been asked for, and who hears which.
#[derive(Debug, Default)]
pub(crate) struct Towards {
    known: FxHashMap<IpPrefix, Toward>,
    heard: Heard,
}

/// The distance of each router by one domain's links.
type Distances = IdVec<RouterId, Option<u32>>;

impl Underlay {
    /// The routes of all routers to a prefix.
    pub(in crate::behaviour) fn toward(&self, fabric: &Fabric, prefix: IpPrefix) -> Toward {
        let mut routes: IdVec<RouterId, Option<Route>> = IdVec::filled(&fabric.routers, None);
        let origins = self.origins(&prefix);
        self.shortest(fabric, origins, &prefix, &mut routes);
        self.by_bgp(fabric, origins, &prefix, &mut routes);
        self.written(fabric, &prefix, &mut routes);
        for &id in self.connected.get(&prefix) {
            let source = RouteSource::Connected;
            routes[id] = Some(Route { source, metric: 0, hops: SmallVec::new() });
        }
        for (id, router) in fabric.routers.iter() {
            if let Some(route) = &mut routes[id] {
                route.hops.sort_unstable();
                if let Some(most) = router.max_paths {
                    route.hops.truncate(usize::from(most.value).max(1));
                }
            }
        }
        Toward { prefix, routes }
    }
}

/// What packets for an address cross, on all ways that are as good.
#[derive(Debug, Default)]
pub(crate) struct Crossed {
    /// The routers that they come to.
    pub(crate) routers: Vec<RouterId>,
    /// The ports that they leave by.
    pub(crate) ports: Vec<PortId>,
    /// The WAN paths.
    pub(crate) wans: Vec<WanId>,
}

impl State {
    /// How a router sends on a packet to an address; none if the address is its own.
    ///
    /// # Errors
    ///
    /// Why it has no way to send it.
    pub(crate) fn next(
        &self,
        router: RouterId,
        address: IpAddr,
        towards: &mut Towards,
    ) -> Result<Option<Next>, NoRoute> {
        let fabric = &self.fabric;
        let underlay = self.underlay();
        if fabric.has_address(router, address) {
            return Ok(None);
        }
        let host = IpPrefix::host(address);
        if let Some(neighbour) = underlay.connected(fabric, router, address) {
            let hop = underlay.link_to(fabric, router, neighbour).ok_or(NoRoute::Down(router))?;
            let steps = smallvec![Step::Hop(Hop { interface: hop, to: neighbour })];
            let (prefix, source) = (host, RouteSource::Connected);
            return Ok(Some(Next { prefix, source, metric: 0, steps }));
        }
        match underlay.used(fabric, router, address, &mut towards.heard)? {
            Used::Written(length, ways) => {
                // Of several that are as good all are used whose way is there.
                let (mut steps, mut failed) = (SmallVec::new(), NoRoute::Down(router));
                for way in ways {
                    match self.by_static(fabric, router, (address, length), way, towards) {
                        Ok(more) => steps.extend(more),
                        Err(error) => failed = error,
                    }
                }
                if steps.is_empty() {
                    return Err(failed);
                }
                let (prefix, source) = (host.shortened(length), RouteSource::Static);
                Ok(Some(Next { prefix, source, metric: 0, steps }))
            }
            Used::Told(prefix, _) => {
                let toward = towards.known.entry(prefix).or_insert_with(|| self.toward(prefix));
                let route = toward.routes[router].as_ref().filter(|route| !route.hops.is_empty());
                let route = route.ok_or(NoRoute::Unknown(router))?;
                Ok(Some(Next {
                    prefix,
                    source: route.source,
                    metric: route.metric,
                    steps: route.hops.iter().copied().map(Step::Hop).collect(),
                }))
            }
        }
    }

    /// What packets of a router for an address cross.
    pub(crate) fn crossed(&self, from: RouterId, to: IpAddr, towards: &mut Towards) -> Crossed {
        let fabric = &self.fabric;
        let mut crossed = Crossed::default();
        let mut seen: FxHashSet<RouterId> = FxHashSet::from_iter([from]);
        let mut open = vec![from];
        while let Some(router) = open.pop() {
            let Ok(Some(next)) = self.next(router, to, towards) else { continue };
            for step in next.steps {
                let at = match step {
                    Step::Hop(hop) => {
                        let place = fabric.interface(hop.interface).place;
                        crossed.ports.extend(ports_at(fabric, place));
                        hop.to
                    }
                    Step::Wan(wan, to) => {
                        crossed.wans.push(wan);
                        to
                    }
                };
                if seen.insert(at) {
                    crossed.routers.push(at);
                    open.push(at);
                }
            }
        }
        crossed
    }

    /// Where a static route for an address leads.
    fn by_static(
        &self,
        fabric: &Fabric,
        router: RouterId,
        (address, length): (IpAddr, u8),
        way: Way,
        towards: &mut Towards,
    ) -> Result<SmallVec<[Step; 4]>, NoRoute> {
        if let Some(wan) = way.wan {
            return Ok(smallvec![Step::Wan(wan, way.to)]);
        }
        if let Some(interface) = self.underlay().link_to(fabric, router, way.to) {
            return Ok(smallvec![Step::Hop(Hop { interface, to: way.to })]);
        }
        // By an address that is not a neighbour's: the way to that address is followed.
        match way.via {
            Via::Address(via) if via != address => {
                let next = self.next(router, via, towards)?;
                let to = IpPrefix::host(address).shortened(length);
                next.map(|next| next.steps).ok_or(NoRoute::Circle(router, to))
            }
            _ => Err(NoRoute::Down(router)),
        }
    }
}

impl Underlay {
    /// The first interface that stops joins of a switch on their way to a rendezvous point; none if all of it is routed
    /// for multicast, or if there is no way at all.
    pub(in crate::behaviour) fn blocks_joins(
        &self,
        fabric: &Fabric,
        switch: DeviceId,
        point: IpAddr,
    ) -> Option<InterfaceId> {
        let ways = self.to_points.get_or_init(|| {
            let all = fabric.overlays().flat_map(|(_, overlay)| &overlay.rendezvous);
            let points: BTreeSet<IpAddr> = all.map(|point| point.value).collect();
            let way = |point| (point, self.toward(fabric, IpPrefix::host(point)));
            points.into_iter().map(way).collect()
        });
        ways.get(&point)?.blocks_joins(fabric, switch)
    }
}

impl Toward {
    /// The first interface, at either end of its link, that stops joins which a switch sends this way:
    /// multicast is not routed on it, so packets from there fail the check of the reverse path (RFC 7761
    /// section 4.2). Of several next hops the first is followed.
    pub fn blocks_joins(&self, fabric: &Fabric, from: DeviceId) -> Option<InterfaceId> {
        let mut at = fabric.device(from).router?;
        for _ in 0..fabric.routers().len() {
            let hop = self.routes[at].as_ref()?.hops.first()?;
            let far = fabric.interface_far(hop.interface);
            let off = |id: &InterfaceId| !fabric.interface(*id).multicast.value;
            if let Some(blocked) = Some(hop.interface).into_iter().chain(far).find(off) {
                return Some(blocked);
            }
            at = hop.to;
        }
        None
    }
}

impl Underlay {
    /// The shortest paths of OSPF and IS-IS: inside each area, then over the backbone, then from the
    /// backbone into the other areas (RFC 2328 section 16).
    fn shortest(
        &self,
        fabric: &Fabric,
        origins: &[Origin],
        prefix: &IpPrefix,
        routes: &mut IdVec<RouterId, Option<Route>>,
    ) {
        let domains: Vec<DomainId> = self.domains.ids().collect();
        let mut inside: Vec<(DomainId, Distances)> = Vec::new();
        for &domain in &domains {
            let here = origins.iter().filter(|o| o.domain.is_none_or(|own| own == domain));
            let seeds: Vec<(RouterId, u32)> = here.map(|o| (o.router, o.cost)).collect();
            if let Some(distances) = self.distances(fabric, domain, prefix, &seeds) {
                inside.push((domain, distances));
            }
        }
        // Routers in several areas carry the distance from one into the other.
        let carried = |found: &[&(DomainId, Distances)], into: DomainId| {
            let mut seeds = Vec::new();
            for (_, distances) in found {
                for (router, distance) in distances.iter() {
                    let Some(distance) = *distance else { continue };
                    if self.edges[router].iter().any(|edge| edge.domain == into) {
                        seeds.push((router, distance));
                    }
                }
            }
            self.distances(fabric, into, prefix, &seeds).map(|found| (into, found))
        };
        let mut over: Vec<(DomainId, Distances)> = Vec::new();
        if domains.len() > 1 {
            let (backbones, areas): (Vec<DomainId>, Vec<DomainId>) =
                domains.iter().partition(|&&domain| self.domains.is_backbone(domain));
            let of = |backbone: bool| {
                inside
                    .iter()
                    .filter(move |(domain, _)| self.domains.is_backbone(*domain) == backbone)
            };
            let of_areas: Vec<_> = of(false).collect();
            over.extend(backbones.iter().filter_map(|&into| carried(&of_areas, into)));
            let of_backbones: Vec<_> = of(true).chain(&over).collect();
            let into_areas: Vec<_> =
                areas.iter().filter_map(|&into| carried(&of_backbones, into)).collect();
            over.extend(into_areas);
        }
        // RFC 1195 section 3.10.2: of IS-IS level 1 comes first, whatever it costs. RFC 2328 section 16.2: a router
        // of the backbone looks at what the backbone says alone.
        let level_one = |domain: DomainId| self.domains.is_level_one(domain);
        let bordering = domains.len() > 1;
        for router in fabric.routers.ids() {
            let is_backbone = |domain: DomainId| self.domains.is_backbone(domain);
            let in_backbone =
                bordering && self.edges[router].iter().any(|edge| is_backbone(edge.domain));
            let of_backbone = |domain: DomainId| !in_backbone || is_backbone(domain);
            let best = |found: &[(DomainId, Distances)], holds: &dyn Fn(DomainId) -> bool| {
                self.best(fabric, router, prefix, found, holds)
            };
            routes[router] = best(&inside, &level_one)
                .or_else(|| best(&inside, &|domain| !level_one(domain)))
                .or_else(|| best(&over, &of_backbone));
        }
    }

    /// The distance of every router of a domain to the nearest seed; none if no seed is in it.
    fn distances(
        &self,
        fabric: &Fabric,
        domain: DomainId,
        prefix: &IpPrefix,
        seeds: &[(RouterId, u32)],
    ) -> Option<Distances> {
        let mut distances: Distances = IdVec::filled(&fabric.routers, None);
        let mut nearest: IdVec<RouterId, u32> = IdVec::filled(&fabric.routers, u32::MAX);
        let mut queue = BinaryHeap::new();
        for &(router, cost) in seeds {
            let inside = self.edges[router].iter().any(|edge| edge.domain == domain);
            if inside && cost < nearest[router] {
                nearest[router] = cost;
                queue.push(Reverse((cost, router)));
            }
        }
        if queue.is_empty() {
            return None;
        }
        while let Some(Reverse((distance, router))) = queue.pop() {
            if distances[router].is_some() {
                continue;
            }
            distances[router] = Some(distance);
            let inside = |edge: &&Edge| edge.domain == domain && edge.carries(prefix);
            for edge in self.edges[router].iter().filter(inside) {
                // The distance is the neighbour's to the seed, so the way back counts.
                let there = distance.saturating_add(edge.back);
                if there < nearest[edge.to] {
                    nearest[edge.to] = there;
                    queue.push(Reverse((there, edge.to)));
                }
            }
        }
        Some(distances)
    }

    /// The best route of a router among the distances of several domains.
    fn best(
        &self,
        fabric: &Fabric,
        router: RouterId,
        prefix: &IpPrefix,
        found: &[(DomainId, Distances)],
        holds: &dyn Fn(DomainId) -> bool,
    ) -> Option<Route> {
        let mut best: Option<Route> = None;
        for (domain, distances) in found.iter().filter(|(domain, _)| holds(*domain)) {
            let Some(own) = distances[router] else { continue };
            let inside = |edge: &&Edge| edge.domain == *domain && edge.carries(prefix);
            for edge in self.edges[router].iter().filter(inside) {
                let Some(there) = distances[edge.to] else { continue };
                let metric = there.saturating_add(edge.cost);
                if metric != own {
                    continue;
                }
                let protocol = fabric.interface(edge.near).protocol.value;
                let hop = Hop { interface: edge.near, to: edge.to };
                match &mut best {
                    Some(known) if known.metric < metric => {}
                    Some(known) if known.metric == metric => {
                        if !known.hops.contains(&hop) {
                            known.hops.push(hop);
                        }
                    }
                    _ => {
                        let source = RouteSource::Learned(protocol);
                        best = Some(Route { source, metric, hops: SmallVec::from_iter([hop]) });
                    }
                }
            }
        }
        best
    }

    /// The routes that BGP brings over links, which a router prefers to those of OSPF and IS-IS.
    fn by_bgp(
        &self,
        fabric: &Fabric,
        origins: &[Origin],
        prefix: &IpPrefix,
        routes: &mut IdVec<RouterId, Option<Route>>,
    ) {
        let family = prefix.family();
        if origins.is_empty() || !self.bgp.is_used() {
            return;
        }
        let from: Vec<RouterId> = origins.iter().map(|origin| origin.router).collect();
        let found = self.bgp.passing.propagate(fabric, family, &from, Some(prefix));
        for (router, best) in found.best.iter() {
            let Some(best) = best.as_ref().filter(|path| path.from.is_some()) else { continue };
            let hop = |session: SessionId| {
                let session = fabric.session(session);
                let to = fabric.devices[session.peer].router?;
                session.interface.map(|interface| Hop { interface, to })
            };
            let hops: SmallVec<[Hop; 4]> = self
                .bgp
                .passing
                .equal(fabric, family, &found, router, Some(prefix))
                .into_iter()
                .filter_map(hop)
                .collect();
            if !hops.is_empty() {
                let metric = u32::try_from(best.as_path.len()).unwrap_or(u32::MAX);
                let source = RouteSource::Learned(UnderlayProtocol::Bgp);
                routes[router] = Some(Route { source, metric, hops });
            }
        }
    }

    fn written(
        &self,
        fabric: &Fabric,
        prefix: &IpPrefix,
        routes: &mut IdVec<RouterId, Option<Route>>,
    ) {
        for route in fabric.written.for_prefix(prefix).map(|at| &fabric.static_routes[at]) {
            let Some(router) = fabric.devices[route.device].router else { continue };
            if self.way(fabric, router, route, &mut Heard::default()).is_ok() {
                let source = RouteSource::Static;
                routes[router] = Some(Route { source, metric: 0, hops: SmallVec::new() });
            }
        }
    }
}

/// The ports of a routed interface that has some of its own.
fn ports_at(fabric: &Fabric, place: InterfacePlace) -> SmallVec<[PortId; 4]> {
    match place {
        InterfacePlace::Port(port) => SmallVec::from_iter([port]),
        InterfacePlace::Lag(lag) => {
            let members = fabric.lag(lag).members.iter();
            members.map(|member| fabric.member(member).port.value).collect()
        }
        InterfacePlace::Vlan(_) => SmallVec::new(),
    }
}
