//! What the underlay comes to, one step after the other.

use std::collections::BTreeSet;
use std::sync::{Arc, OnceLock};

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::adjacency::{Adjacency, Beneath, adjacencies as adjacencies_of};
use super::advertised::{Telling, origins, segment_subnets};
use super::domains::{Domains, parts};
use super::prefixes::OfPrefixes;
use super::wan::is_up;
use super::{Edge, Underlay};
use crate::behaviour::bgp::{Asked, Bgp};
use crate::behaviour::cause::Causes;
use crate::fabric::{Condition, DeviceId, Fabric, RouterId, WanId};
use crate::id::{IdVec, Pages};
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
    asked: Asked,
    causes: &mut Causes,
) -> Underlay {
    let (adjacencies, of_interface) = adjacencies_of(fabric, links, causes);
    let adjacencies = Pages::of(adjacencies.into_values());
    let domains = Domains::of(fabric, &adjacencies);
    let mut edges: IdVec<RouterId, SmallVec<[Edge; 4]>> =
        IdVec::filled(&fabric.routers, SmallVec::new());
    for adjacency in adjacencies.values() {
        for (from, edge) in domains.edges(fabric, adjacency) {
            edges[from].push(edge);
        }
    }
    let edges = Pages::of(edges.into_values());
    let parts = [0, 1].map(|version| parts(fabric, &edges, &domains, version));
    let telling = Telling {
        fabric,
        adjacencies: &adjacencies,
        of_interface: &of_interface,
        domains: &domains,
        withdrawn,
    };
    let origins = origins(telling, &wans);
    let tangled = adjacencies.iter().any(|(id, adjacency)| {
        [adjacency.near, adjacency.far].iter().any(|&end| of_interface[end] != Some(id))
    });
    let mut underlay = Underlay {
        adjacencies,
        tangled,
        of_interface: Arc::new(of_interface),
        edges,
        domains: Arc::new(domains),
        parts: Arc::new(parts),
        origins,
        connected: OfPrefixes::of(FxHashMap::default()),
        wans,
        bgp: Arc::default(),
        to_points: OnceLock::new(),
    };
    underlay.bgp = Arc::new(Bgp::over_links(fabric, &underlay, asked, causes));
    underlay.connected = connected(fabric, &underlay);
    underlay
}

/// The prefixes that routers have themselves.
fn connected(fabric: &Fabric, underlay: &Underlay) -> OfPrefixes<RouterId> {
    let mut found: FxHashMap<IpPrefix, SmallVec<[RouterId; 2]>> = FxHashMap::default();
    for id in fabric.routers.ids() {
        underlay.had_by(fabric, id, &mut |prefix| {
            let known = found.entry(prefix).or_default();
            if known.last() != Some(&id) {
                known.push(id);
            }
        });
    }
    OfPrefixes::of(found)
}

impl Underlay {
    /// The prefixes that a router has itself: loopbacks, its VTEP's address, links that are up, and segments.
    pub(super) fn had_by(&self, fabric: &Fabric, id: RouterId, has: &mut dyn FnMut(IpPrefix)) {
        let router = fabric.router(id);
        segment_subnets(fabric, router.device).for_each(&mut *has);
        router.loopbacks.iter().map(|loopback| loopback.prefix()).for_each(&mut *has);
        let vtep = fabric.vtep_of(router.device);
        vtep.into_iter().map(|vtep| IpPrefix::host(vtep.value)).for_each(&mut *has);
        for interface in router.interfaces.iter() {
            let up = self.adjacency_of(interface).is_none_or(Adjacency::carries_packets);
            let interface = fabric.interface(interface);
            if up && interface.vrf.is_none() {
                interface.addresses.iter().map(|address| address.subnet()).for_each(&mut *has);
            }
        }
    }
}
