//! What the underlay comes to, one step after the other.

use std::collections::BTreeSet;
use std::sync::OnceLock;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::adjacency::{
    Adjacency, AdjacencyFault, Beneath, adjacencies as adjacencies_of, carries_version,
};
use super::advertised::{origins, segment_subnets};
use super::domains::{DomainKey, domain_keys, parts};
use super::wan::is_up;
use super::{DomainId, Edge, Underlay};
use crate::behaviour::bgp::Bgp;
use crate::behaviour::cause::Causes;
use crate::fabric::{Condition, DeviceId, Fabric, InterfaceId, RouterId, WanId};
use crate::id::IdVec;
use crate::value::IpPrefix;

/// Which WAN paths packets cross.
pub(in crate::behaviour) fn wans(fabric: &Fabric, condition: &Condition) -> IdVec<WanId, bool> {
    let up = fabric.wans.values().map(|wan| is_up(fabric, condition, wan));
    IdVec::of(up.collect::<Vec<_>>())
}

pub(in crate::behaviour) fn outcome(
    fabric: &Fabric,
    links: &Beneath<'_>,
    wans: IdVec<WanId, bool>,
    withdrawn: &BTreeSet<DeviceId>,
    causes: &mut Causes,
) -> Underlay {
    let (adjacencies, of_interface) = adjacencies_of(fabric, links, causes);
    let mut domains: FxHashMap<DomainKey, DomainId> = FxHashMap::default();
    let mut backbone: IdVec<DomainId, bool> = IdVec::default();
    let mut level_one: IdVec<DomainId, bool> = IdVec::default();
    let mut edges: IdVec<RouterId, SmallVec<[Edge; 4]>> =
        IdVec::filled(&fabric.routers, SmallVec::new());
    for adjacency in adjacencies.values().filter(|adjacency| adjacency.fault.is_none()) {
        let carries =
            [true, false].map(|v4| carries_version(fabric, adjacency.near, adjacency.far, v4));
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
        to_points: OnceLock::new(),
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
