//! The underlay under another condition, where all that differs is which links are up.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, OnceLock};

use rustc_hash::FxHashSet;
use smallvec::SmallVec;

use super::adjacency::{Adjacency, AdjacencyId, judge};
use super::advertised::Telling;
use super::domains::parts;
use super::prefixes::OfPrefixes;
use super::{Beneath, DomainId, Edge, Underlay};
use crate::behaviour::cause::{Aspect, Causes, Entity};
use crate::fabric::{DeviceId, Fabric, InterfaceId, RouterId};
use crate::value::IpPrefix;

/// An underlay that was made from another, still with the sessions over links of that.
pub(in crate::behaviour) struct Again {
    pub(in crate::behaviour) underlay: Underlay,
    /// The adjacencies that are others now.
    pub(in crate::behaviour) adjacencies: BTreeSet<AdjacencyId>,
    /// The prefixes of links that others have or tell now.
    pub(in crate::behaviour) prefixes: BTreeSet<IpPrefix>,
    /// Whether OSPF or IS-IS joins other routers.
    pub(in crate::behaviour) joins_others: bool,
}

/// The underlay with the links under some interfaces as they are now; none if what comes of them may have causes, or
/// nothing but a look at all of it tells.
pub(in crate::behaviour) fn again(
    fabric: &Fabric,
    before: &Underlay,
    links: &Beneath<'_>,
    interfaces: &[InterfaceId],
    withdrawn: &BTreeSet<DeviceId>,
    causes: &Causes,
) -> Option<Again> {
    if before.tangled && !interfaces.is_empty() {
        return None;
    }
    let mut underlay = before.clone();
    underlay.to_points = OnceLock::new();
    let mut changed = BTreeSet::new();
    for id in interfaces.iter().filter_map(|&interface| before.of_interface[interface]) {
        let known = before.adjacencies[id];
        let mut scratch = Causes::default();
        let now = judge(fabric, links, known.near, known.far, &mut scratch);
        let ends = [known.near, known.far].map(Entity::Interface);
        let claimed = ends.iter().any(|&end| causes.claimed(end, Aspect::Neighbour).is_some());
        if claimed || known.cause.is_some() || scratch.iter().next().is_some() {
            return None;
        }
        if now.fault.is_none() && !before.domains.hold(fabric, &now) {
            return None;
        }
        if known.fault != now.fault {
            underlay.adjacencies[id] = now;
            changed.insert(id);
        }
    }
    if before.domains.are_others(fabric, &underlay.adjacencies) {
        return None;
    }
    let change = Change { fabric, before, adjacencies: &changed };
    let routers = change.routers();
    for &router in &routers {
        let edges = change.edges(&underlay, router);
        if edges[..] != before.edges[router][..] {
            underlay.edges[router] = edges;
        }
    }
    let joins_others = change.joins_others(&underlay, &routers);
    if joins_others {
        let anew = |version| parts(fabric, &underlay.edges, &underlay.domains, version);
        underlay.parts = Arc::new([0, 1].map(anew));
    }
    let prefixes = change.prefixes();
    if fabric.static_routes.iter().any(|route| prefixes.contains(&route.to.value)) {
        return None;
    }
    change.tell(&mut underlay, &routers, &prefixes, withdrawn);
    Some(Again { underlay, adjacencies: changed, prefixes, joins_others })
}

struct Change<'a> {
    fabric: &'a Fabric,
    before: &'a Underlay,
    adjacencies: &'a BTreeSet<AdjacencyId>,
}

impl Change<'_> {
    fn ends(&self) -> impl Iterator<Item = InterfaceId> + '_ {
        self.adjacencies.iter().flat_map(|&id| {
            let Adjacency { near, far, .. } = self.before.adjacencies[id];
            [near, far]
        })
    }

    /// The routers at the links that changed.
    fn routers(&self) -> BTreeSet<RouterId> {
        let device = |end: InterfaceId| self.fabric.interface(end).device;
        self.ends().filter_map(|end| self.fabric.device(device(end)).router).collect()
    }

    /// The subnets of the links that changed.
    fn prefixes(&self) -> BTreeSet<IpPrefix> {
        let addresses = self.ends().flat_map(|end| &self.fabric.interface(end).addresses);
        addresses.map(|address| address.subnet()).collect()
    }

    /// The ways from a router, in the order of adjacencies.
    fn edges(&self, now: &Underlay, router: RouterId) -> SmallVec<[Edge; 4]> {
        let own = self.fabric.router(router).interfaces.iter();
        let ids: BTreeSet<AdjacencyId> = own.filter_map(|id| now.of_interface[id]).collect();
        let edges = ids.iter().flat_map(|&id| now.domains.edges(self.fabric, &now.adjacencies[id]));
        edges.filter(|(from, _)| *from == router).map(|(_, edge)| edge).collect()
    }

    /// Whether OSPF or IS-IS may join other routers than before, or the domains of a router have another order.
    fn joins_others(&self, now: &Underlay, routers: &BTreeSet<RouterId>) -> bool {
        let before = self.before;
        routers.iter().any(|&router| {
            (0..2).any(|version| {
                order(before, version, router) != order(now, version, router)
                    || parts_at(before, now, version, router)
                    || parts_at(now, before, version, router)
            })
        })
    }

    /// Puts right who tells of the prefixes of links, and who has them.
    fn tell(
        &self,
        underlay: &mut Underlay,
        routers: &BTreeSet<RouterId>,
        prefixes: &BTreeSet<IpPrefix>,
        withdrawn: &BTreeSet<DeviceId>,
    ) {
        let tellers = prefixes.iter().flat_map(|prefix| self.before.origins(prefix));
        let tellers = tellers.map(|origin| origin.router).chain(routers.iter().copied());
        let telling = Telling {
            fabric: self.fabric,
            adjacencies: &underlay.adjacencies,
            of_interface: &underlay.of_interface,
            domains: &underlay.domains,
            withdrawn,
        };
        let told = listed(prefixes, tellers, |router, tell| telling.told_by(router, tell));
        put(&mut underlay.origins, told);
        let havers = prefixes.iter().flat_map(|prefix| self.before.connected.get(prefix));
        let had = listed(prefixes, havers.chain(routers).copied(), |router, has| {
            underlay.had_by(self.fabric, router, &mut |prefix| has(prefix, router));
        });
        put(&mut underlay.connected, had);
    }
}

/// What each of some prefixes has of some routers, in their order: of each router the first.
fn listed<T>(
    prefixes: &BTreeSet<IpPrefix>,
    routers: impl Iterator<Item = RouterId>,
    each: impl Fn(RouterId, &mut dyn FnMut(IpPrefix, T)),
) -> BTreeMap<IpPrefix, SmallVec<[T; 2]>> {
    let mut found: BTreeMap<IpPrefix, SmallVec<[T; 2]>> =
        prefixes.iter().map(|&prefix| (prefix, SmallVec::new())).collect();
    for router in routers.collect::<BTreeSet<_>>() {
        let mut seen: BTreeSet<IpPrefix> = BTreeSet::new();
        each(router, &mut |prefix, one| {
            if let Some(list) = found.get_mut(&prefix).filter(|_| seen.insert(prefix)) {
                list.push(one);
            }
        });
    }
    found
}

fn put<T: PartialEq>(known: &mut OfPrefixes<T>, found: BTreeMap<IpPrefix, SmallVec<[T; 2]>>) {
    for (prefix, list) in found {
        if known.get(&prefix) != &list[..] {
            known.set(prefix, list);
        }
    }
}

/// The domains that a router has ways in, in the order of these.
fn order(underlay: &Underlay, version: usize, router: RouterId) -> SmallVec<[DomainId; 4]> {
    let mut found = SmallVec::new();
    for edge in underlay.edges[router].iter().filter(|edge| edge.carries[version]) {
        if !found.contains(&edge.domain) {
            found.push(edge.domain);
        }
    }
    found
}

/// Whether a way from a router that is in one underlay alone joins what nothing else joins in the other.
fn parts_at(one: &Underlay, other: &Underlay, version: usize, router: RouterId) -> bool {
    let is_there = |edge: &Edge| {
        let mut known = other.edges[router].iter();
        known.any(|known| (known.near, known.domain) == (edge.near, edge.domain))
    };
    // Each way has one back.
    let onward = one.edges[router].iter().filter(|edge| router < edge.to && edge.carries[version]);
    onward
        .filter(|edge| !is_there(edge))
        .any(|edge| !is_joined(other, version, edge.domain, router, edge.to))
}

/// Whether links of a domain join two routers: searched from both at once, as a way round is mostly short.
fn is_joined(
    underlay: &Underlay,
    version: usize,
    domain: DomainId,
    one: RouterId,
    other: RouterId,
) -> bool {
    let mut seen = [FxHashSet::from_iter([one]), FxHashSet::from_iter([other])];
    let mut edge = [vec![one], vec![other]];
    loop {
        // From where fewer are to be looked at.
        let side = usize::from(edge[1].len() < edge[0].len());
        if edge[side].is_empty() {
            return false;
        }
        let mut next = Vec::new();
        for router in std::mem::take(&mut edge[side]) {
            let inside = |way: &&Edge| way.domain == domain && way.carries[version];
            for way in underlay.edges[router].iter().filter(inside) {
                if seen[1 - side].contains(&way.to) {
                    return true;
                }
                if seen[side].insert(way.to) {
                    next.push(way.to);
                }
            }
        }
        edge[side] = next;
    }
}
