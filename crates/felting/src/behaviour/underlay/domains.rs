//! Areas of OSPF and levels of IS-IS, and how their parts hang together.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::adjacency::{Adjacency, levels};
use super::{DomainId, Edge, Parts};
use crate::fabric::{Fabric, RouterId};
use crate::id::IdVec;
use crate::value::{Area, UnderlayProtocol};

/// What makes two links be of one domain.
#[derive(Clone, PartialEq, Eq, Hash)]
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
