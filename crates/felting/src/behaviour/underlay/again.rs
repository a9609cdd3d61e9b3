//! The underlay under another condition, where all that differs is which links are up.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, OnceLock};

use rustc_hash::FxHashSet;
use smallvec::SmallVec;

use super::adjacency::{Adjacency, AdjacencyId, judge};
use super::advertised::{Telling, add};
use super::domains::parts;
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
        (0..2).any(|version| {
            let order = |underlay: &Underlay, router: RouterId| {
                let mut found: SmallVec<[DomainId; 4]> = SmallVec::new();
                for edge in underlay.edges[router].iter().filter(|edge| edge.carries[version]) {
                    if !found.contains(&edge.domain) {
                        found.push(edge.domain);
                    }
                }
                found
            };
            if routers.iter().any(|&router| order(self.before, router) != order(now, router)) {
                return true;
            }
            // An end of each way that is gone must still be joined with the other, and of each that is new before.
            let differ = |one: &Underlay, other: &Underlay| {
                routers.iter().any(|&router| {
                    let gone = one.edges[router].iter().filter(|edge| {
                        let same =
                            |known: &&Edge| known.near == edge.near && known.domain == edge.domain;
                        edge.carries[version] && !other.edges[router].iter().any(|e| same(&e))
                    });
                    let mut gone = gone.filter(|edge| router < edge.to);
                    gone.any(|edge| !is_joined(other, version, edge.domain, router, edge.to))
                })
            };
            differ(self.before, now) || differ(now, self.before)
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
        let fabric = self.fabric;
        let known = prefixes.iter().flat_map(|prefix| self.before.origins(prefix));
        let tellers: BTreeSet<RouterId> =
            known.map(|origin| origin.router).chain(routers.iter().copied()).collect();
        let mut told: BTreeMap<IpPrefix, SmallVec<_>> =
            prefixes.iter().map(|&prefix| (prefix, SmallVec::new())).collect();
        let telling = Telling {
            fabric,
            adjacencies: &underlay.adjacencies,
            of_interface: &underlay.of_interface,
            domains: &underlay.domains,
            withdrawn,
        };
        for &router in &tellers {
            telling.told_by(router, &mut |prefix, origin| {
                if let Some(known) = told.get_mut(&prefix) {
                    add(known, origin);
                }
            });
        }
        for (prefix, list) in told {
            if underlay.origins.get(&prefix) != &list[..] {
                underlay.origins.set(prefix, list);
            }
        }
        let known = prefixes.iter().flat_map(|prefix| self.before.connected.get(prefix));
        let havers: BTreeSet<RouterId> = known.chain(routers).copied().collect();
        let mut had: BTreeMap<IpPrefix, SmallVec<[RouterId; 2]>> =
            prefixes.iter().map(|&prefix| (prefix, SmallVec::new())).collect();
        for &router in &havers {
            underlay.had_by(fabric, router, &mut |prefix| {
                if let Some(known) =
                    had.get_mut(&prefix).filter(|known| known.last() != Some(&router))
                {
                    known.push(router);
                }
            });
        }
        for (prefix, list) in had {
            if underlay.connected.get(&prefix) != &list[..] {
                underlay.connected.set(prefix, list);
            }
        }
    }
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
