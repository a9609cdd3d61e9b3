//! Areas of OSPF and levels of IS-IS, and how their parts hang together.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::adjacency::{Adjacency, AdjacencyId, carries_version, levels};
use crate::fabric::{Fabric, InterfaceId, RouterId};
use crate::id::{Id, IdVec, Pages, typed_id};
use crate::value::{Area, IpPrefix, UnderlayProtocol};

typed_id! {
    /// A part of an underlay in which every router knows every link: an area, or a level of IS-IS.
    pub(crate) DomainId, "domain"
}

/// One way over an adjacency.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
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
pub(super) fn version(prefix: &IpPrefix) -> usize {
    usize::from(!prefix.address().is_ipv4())
}

/// The parts of domains that a router is in, and of backbones that it reaches.
#[derive(Clone, Debug, Default)]
pub(super) struct Parts {
    /// Those that it is in.
    pub(super) own: SmallVec<[u32; 2]>,
    /// The domains that these are of.
    pub(super) domains: SmallVec<[DomainId; 2]>,
    /// The backbones whose prefixes it hears. A router that is in a backbone itself looks at that alone (RFC 2328
    /// section 16.2).
    pub(super) backbones: SmallVec<[u32; 2]>,
    /// The backbones that hear its prefixes.
    pub(super) told: SmallVec<[u32; 2]>,
}

/// What makes two links be of one domain.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(super) enum DomainKey {
    Ospf(Area),
    LevelOne(Area),
    LevelTwo,
}

impl DomainKey {
    /// RFC 2328 section 3.1 for OSPF; level 2 joins the areas of IS-IS.
    pub(super) fn is_backbone(&self) -> bool {
        match self {
            Self::Ospf(area) => *area == Area::backbone(),
            Self::LevelOne(_) => false,
            Self::LevelTwo => true,
        }
    }
}

/// The domains of an underlay, in the order of the first adjacencies that are in them.
#[derive(Debug, Default)]
pub(super) struct Domains {
    of_key: FxHashMap<DomainKey, DomainId>,
    /// Whether a domain is the one to which the others attach.
    backbone: IdVec<DomainId, bool>,
    /// The domains that are level 1 of IS-IS, whose routes come before those of level 2.
    level_one: IdVec<DomainId, bool>,
}

impl Domains {
    pub(super) fn of(fabric: &Fabric, adjacencies: &Pages<AdjacencyId, Adjacency>) -> Self {
        let mut domains = Self::default();
        for adjacency in adjacencies.values().filter(|adjacency| adjacency.fault.is_none()) {
            for key in domain_keys(fabric, adjacency) {
                domains.of_key.entry(key).or_insert_with_key(|key| {
                    domains.level_one.push(matches!(key, DomainKey::LevelOne(_)));
                    domains.backbone.push(key.is_backbone())
                });
            }
        }
        domains
    }

    /// Whether what an adjacency is in is among them.
    pub(super) fn hold(&self, fabric: &Fabric, adjacency: &Adjacency) -> bool {
        domain_keys(fabric, adjacency).iter().all(|key| self.of_key.contains_key(key))
    }

    /// Whether they would be found in another order in these adjacencies, none of which is in any other, or not all.
    pub(super) fn are_others(
        &self,
        fabric: &Fabric,
        adjacencies: &Pages<AdjacencyId, Adjacency>,
    ) -> bool {
        let mut found = 0;
        for adjacency in adjacencies.values().filter(|adjacency| adjacency.fault.is_none()) {
            for key in domain_keys(fabric, adjacency) {
                match self.get(&key).map(Id::index) {
                    Some(known) if known < found => {}
                    Some(known) if known == found => found += 1,
                    _ => return true,
                }
            }
            if found == self.backbone.len() {
                return false;
            }
        }
        found != self.backbone.len()
    }

    pub(super) fn get(&self, key: &DomainKey) -> Option<DomainId> {
        self.of_key.get(key).copied()
    }

    pub(super) fn ids(&self) -> impl Iterator<Item = DomainId> + use<> {
        self.backbone.ids()
    }

    pub(super) fn is_backbone(&self, domain: DomainId) -> bool {
        self.backbone[domain]
    }

    pub(super) fn is_level_one(&self, domain: DomainId) -> bool {
        self.level_one[domain]
    }

    /// The ways over an adjacency, each with the router that it begins at.
    pub(super) fn edges(
        &self,
        fabric: &Fabric,
        adjacency: &Adjacency,
    ) -> SmallVec<[(RouterId, Edge); 2]> {
        let mut found = SmallVec::new();
        if adjacency.fault.is_some() {
            return found;
        }
        let ends = [adjacency.near, adjacency.far];
        let router = |id: InterfaceId| fabric.devices[fabric.interface(id).device].router;
        let [Some(here), Some(there)] = ends.map(router) else { return found };
        let [cost, back] = ends.map(|end| fabric.interface(end).cost.get());
        let carries =
            [true, false].map(|v4| carries_version(fabric, adjacency.near, adjacency.far, v4));
        for domain in domain_keys(fabric, adjacency).iter().filter_map(|key| self.get(key)) {
            let near = adjacency.near;
            found.push((here, Edge { to: there, near, cost, back, domain, carries }));
            let (near, cost, back) = (adjacency.far, back, cost);
            found.push((there, Edge { to: here, near, cost, back, domain, carries }));
        }
        found
    }
}

pub(super) fn domain_keys(fabric: &Fabric, adjacency: &Adjacency) -> SmallVec<[DomainKey; 2]> {
    let (near, far) = (fabric.interface(adjacency.near), fabric.interface(adjacency.far));
    let mut keys = SmallVec::new();
    match adjacency.protocol {
        UnderlayProtocol::Ospf => keys.push(DomainKey::Ospf(near.area.value.clone())),
        UnderlayProtocol::Isis => {
            let (one, two) = levels(near, far);
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
pub(super) fn parts(
    fabric: &Fabric,
    edges: &Pages<RouterId, SmallVec<[Edge; 4]>>,
    domains: &Domains,
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
            of_backbone.push(domains.is_backbone(edge.domain));
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
