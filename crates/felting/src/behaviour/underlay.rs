//! The underlay: who is whose neighbour, what is advertised, and which way packets go.
//!
//! Adjacencies and what can be reached are computed once. Next hops are quadratic, so they are
//! computed for one destination at a time, when asked.

pub(crate) mod adjacency;
mod advertised;
mod again;
mod domains;
mod isolation;
mod lost;
mod outcome;
mod paths;
mod prefixes;
mod table;
mod wan;

use std::collections::BTreeMap;
use std::hash::Hash;
use std::net::IpAddr;
use std::sync::{Arc, OnceLock};

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

pub use adjacency::{Adjacency, AdjacencyFault, AdjacencyId};
pub(super) use adjacency::{Beneath, link_up};
pub(super) use again::{Again, again};
pub(super) use isolation::isolated;
pub use lost::LostWay;
pub(super) use outcome::{outcome, wans};
pub(crate) use paths::{Crossed, Next, Step, Towards};
pub use paths::{Hop, Route, RouteSource, Toward};
pub use wan::WrongTag;

use super::bgp::{Bgp, Heard};
use crate::fabric::{Fabric, InterfaceId, RouterId, Via, WanId};
use crate::id::{IdVec, Pages};
use crate::value::{Advertised, Family, IpPrefix};
pub(crate) use domains::{DomainId, Edge};
use domains::{Domains, Parts, version};
use prefixes::OfPrefixes;

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
    pub(crate) adjacencies: Pages<AdjacencyId, Adjacency>,
    pub(crate) of_interface: Arc<IdVec<InterfaceId, Option<AdjacencyId>>>,
    /// Whether some interface is in several adjacencies, as cables are not where they were meant to be.
    tangled: bool,
    /// The neighbours of each router by OSPF or IS-IS.
    pub(crate) edges: Pages<RouterId, SmallVec<[Edge; 4]>>,
    domains: Arc<Domains>,
    /// The parts of domains that each router is in, and the parts of backbones that it reaches, for IPv4 and for
    /// IPv6.
    parts: Arc<[IdVec<RouterId, Parts>; 2]>,
    origins: OfPrefixes<Origin>,
    /// The routers that have each prefix themselves.
    pub(crate) connected: OfPrefixes<RouterId>,
    /// The WAN paths that are up.
    pub(crate) wans: IdVec<WanId, bool>,
    /// Over which links BGP carries the underlay's routes.
    pub(crate) bgp: Arc<Bgp>,
    /// The ways to the rendezvous points of multicast groups, once they are asked for.
    to_points: OnceLock<BTreeMap<IpAddr, Toward>>,
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

/// By what its static routes tell a router from others.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
enum WrittenAs {
    /// It has none.
    Nothing,
    /// Those of one number have the same, which lead them alike.
    Alike(u32),
    /// It may be led otherwise than any other.
    Alone(RouterId),
}

impl Underlay {
    /// The pairs of interfaces that face each other, with what became of each.
    pub fn adjacencies(&self) -> impl ExactSizeIterator<Item = (AdjacencyId, &Adjacency)> {
        self.adjacencies.ids().map(|id| (id, &self.adjacencies[id]))
    }

    /// One adjacency.
    pub fn adjacency(&self, id: AdjacencyId) -> &Adjacency {
        &self.adjacencies[id]
    }

    /// The adjacency of an interface, if anything faces it.
    pub fn adjacency_of(&self, interface: InterfaceId) -> Option<&Adjacency> {
        self.of_interface[interface].map(|id| &self.adjacencies[id])
    }

    /// All prefixes that some router advertises, in order.
    pub fn prefixes(&self) -> Vec<IpPrefix> {
        self.origins.prefixes()
    }

    /// The routers that advertise a prefix.
    pub fn advertisers(&self, prefix: &IpPrefix) -> Vec<RouterId> {
        self.origins(prefix).iter().map(|origin| origin.router).collect()
    }

    pub(crate) fn origins(&self, prefix: &IpPrefix) -> &[Origin] {
        self.origins.get(prefix)
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
        match self.domains.is_backbone(domain) {
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
        let diverts = self.diverts(fabric);
        let written = self.written_alike(fabric);
        self.numbered(fabric, |id| {
            let written = match diverts {
                true => WrittenAs::Alone(id),
                false => written.get(&id).copied().unwrap_or(WrittenAs::Nothing),
            };
            (bgp.class_of(fabric, id), written)
        })
    }

    /// Which routers have the same static routes, all by addresses that none of these has a link to: what these lead to
    /// follows from what the routers are told. Any other that has some is alone.
    fn written_alike(&self, fabric: &Fabric) -> FxHashMap<RouterId, WrittenAs> {
        let mut lists: FxHashMap<RouterId, Option<Vec<(IpPrefix, IpAddr)>>> = FxHashMap::default();
        for route in fabric.static_routes.iter().filter(|route| route.vrf.is_none()) {
            let Some(router) = fabric.device(route.device).router else { continue };
            let list = lists.entry(router).or_insert_with(|| Some(Vec::new()));
            let by = match route.via.value {
                Via::Address(via) => Some(via),
                _ => None,
            };
            let far = by.filter(|&via| {
                !fabric.has_address(router, via) && self.connected(fabric, router, via).is_none()
            });
            match (far, &mut *list) {
                (Some(via), Some(list)) => list.push((route.to.value, via)),
                _ => *list = None,
            }
        }
        let mut known: FxHashMap<Vec<(IpPrefix, IpAddr)>, u32> = FxHashMap::default();
        let number = |(router, list): (RouterId, Option<Vec<(IpPrefix, IpAddr)>>)| {
            let alike = list.map(|list| {
                let next = u32::try_from(known.len()).unwrap_or(u32::MAX);
                WrittenAs::Alike(*known.entry(list).or_insert(next))
            });
            (router, alike.unwrap_or(WrittenAs::Alone(router)))
        };
        lists.into_iter().map(number).collect()
    }

    /// Numbers for what routers are led to by what nothing tells apart: those of one number reach an address or don't,
    /// but for those that [`told_apart_by`](Self::told_apart_by) names.
    pub(super) fn groups(&self, fabric: &Fabric) -> IdVec<RouterId, u32> {
        self.numbered(fabric, |id| {
            [Family::Ipv4, Family::Ipv6].map(|family| self.bgp.colour(fabric, family, id))
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
        let host = IpPrefix::host(address);
        if fabric.written.for_address(host).next().is_some() {
            return None;
        }
        let mut marks: FxHashMap<RouterId, SmallVec<[u32; 4]>> = FxHashMap::default();
        let mut place = 0;
        let mut mark = |router: RouterId, place: u32, number: u32| {
            marks.entry(router).or_default().extend([place, number]);
        };
        for prefix in self.origins.around(host) {
            for origin in self.origins(&prefix) {
                mark(origin.router, place, 0);
                let apart = self.bgp.told_apart_by(fabric, prefix.family(), origin.router)?;
                for (router, number) in apart {
                    mark(router, place + 1, number);
                }
                place += 2;
            }
        }
        for &owner in self.connected.get(&host) {
            mark(owner, place, 0);
        }
        let mut found: Vec<_> = marks.into_iter().map(|(router, marks)| (marks, router)).collect();
        found.sort_unstable();
        Some(found)
    }

    /// The neighbour on a link that has an address.
    fn connected(&self, fabric: &Fabric, router: RouterId, address: IpAddr) -> Option<RouterId> {
        let own = fabric.routers[router].interfaces;
        let at = |&far: &InterfaceId| {
            let adjacency =
                self.adjacency_of(far).filter(|adjacency| adjacency.carries_packets())?;
            let near = adjacency.other(far);
            own.contains(near).then_some((near, far))
        };
        let (_, far) = fabric.interfaces_with(address).iter().filter_map(at).min()?;
        fabric.devices[fabric.interface(far).device].router
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
        self.origins.around(host).find_map(|prefix| {
            let mut origins = self.origins(&prefix).iter();
            let heard =
                origins.find(|o| o.router != from && self.hears(fabric, from, o, &prefix, heard));
            heard.map(|&origin| (prefix, origin))
        })
    }

    /// The interface of a router whose link leads to another.
    pub(crate) fn link_to(
        &self,
        fabric: &Fabric,
        router: RouterId,
        to: RouterId,
    ) -> Option<InterfaceId> {
        let of = |router: RouterId| fabric.routers[router].interfaces;
        // The one of the two is asked that has fewer links: a spine has one to each leaf.
        let (asked, other) =
            if of(router).len() <= of(to).len() { (router, to) } else { (to, router) };
        let links = of(asked).iter().filter_map(|id| {
            let adjacency =
                self.adjacency_of(id).filter(|adjacency| adjacency.carries_packets())?;
            let far = adjacency.other(id);
            of(other).contains(far).then_some(if asked == router { id } else { far })
        });
        links.min()
    }

    /// The routers on links that carry packets, each once.
    pub(crate) fn neighbours(&self, fabric: &Fabric, router: RouterId) -> SmallVec<[RouterId; 8]> {
        let mut found = SmallVec::new();
        for id in fabric.routers[router].interfaces.iter() {
            let Some(adjacency) = self.adjacency_of(id) else { continue };
            let far = adjacency.other(id);
            if adjacency.carries_packets() {
                found.extend(fabric.devices[fabric.interface(far).device].router);
            }
        }
        found.sort_unstable();
        found.dedup();
        found
    }
}
