//! What routers tell the underlay of.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::adjacency::{Adjacency, AdjacencyFault, AdjacencyId};
use super::domains::{Domains, domain_keys};
use super::prefixes::OfPrefixes;
use super::table::is_used;
use super::{DomainId, Origin};
use crate::behaviour::gateway::is_gateway;
use crate::fabric::{DeviceId, Fabric, InterfaceId, RouterId, WanId};
use crate::id::{IdVec, Pages};
use crate::value::{Advertised, IpPrefix, UnderlayProtocol};
use std::collections::BTreeSet;

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

/// What decides what routers tell, beside what is written of them.
#[derive(Clone, Copy)]
pub(super) struct Telling<'a> {
    pub(super) fabric: &'a Fabric,
    pub(super) adjacencies: &'a Pages<AdjacencyId, Adjacency>,
    pub(super) of_interface: &'a IdVec<InterfaceId, Option<AdjacencyId>>,
    pub(super) domains: &'a Domains,
    /// The switches whose VTEP address is withdrawn.
    pub(super) withdrawn: &'a BTreeSet<DeviceId>,
}

impl Telling<'_> {
    /// Whether the link of an interface is up; what leads out of the fabric is taken to be.
    fn is_up(&self, interface: InterfaceId) -> bool {
        let adjacency = self.of_interface[interface].map(|id| &self.adjacencies[id]);
        adjacency.is_none_or(|adjacency| adjacency.fault != Some(AdjacencyFault::LinkDown))
    }

    /// The domain that a link is in; none of one that is in several, and so in all of its router's.
    fn domain(&self, interface: InterfaceId) -> Option<DomainId> {
        let adjacency = self.of_interface[interface].map(|id| &self.adjacencies[id])?;
        let [ref key] = domain_keys(self.fabric, adjacency)[..] else { return None };
        self.domains.get(key).filter(|_| adjacency.fault.is_none())
    }

    /// What a router itself tells of, but for its static routes: of one prefix the first counts.
    pub(super) fn told_by(&self, id: RouterId, tell: &mut dyn FnMut(IpPrefix, Origin)) {
        let fabric = self.fabric;
        let router = fabric.router(id);
        let mut add = |prefix: IpPrefix, what: Advertised, cost: u32, domain: Option<DomainId>| {
            tell(prefix, Origin { router: id, what, cost, domain });
        };
        let says = |what: Advertised| router.advertised.iter().any(|one| one.value == what);
        if router.protocol.is_none_or(|protocol| protocol.value == UnderlayProtocol::None) {
            return;
        }
        if says(Advertised::Loopbacks) {
            for loopback in &router.loopbacks {
                add(loopback.prefix(), Advertised::Loopbacks, 0, None);
            }
        }
        if says(Advertised::Vteps)
            && !self.withdrawn.contains(&router.device)
            && let Some(address) = fabric.vtep_of(router.device)
        {
            add(IpPrefix::host(address.value), Advertised::Vteps, 0, None);
        }
        if says(Advertised::Links) {
            let interfaces = router.interfaces.iter().filter(|&id| self.is_up(id));
            for (link, interface) in interfaces.map(|id| (id, fabric.interface(id))) {
                let runs = interface.protocol.value != UnderlayProtocol::None;
                let addresses = interface.addresses.iter();
                for address in addresses.filter(|_| runs && interface.vrf.is_none()) {
                    let (cost, domain) = (interface.cost.get(), self.domain(link));
                    add(address.subnet(), Advertised::Links, cost, domain);
                }
            }
        }
        if says(Advertised::Segments) {
            for subnet in segment_subnets(fabric, router.device) {
                add(subnet, Advertised::Segments, SEGMENT_COST, None);
            }
        }
    }
}

/// Adds what a router tells of to the list of a prefix.
fn add(known: &mut SmallVec<[Origin; 2]>, origin: Origin) {
    if !known.iter().any(|other| other.router == origin.router) {
        known.push(origin);
    }
}

/// Who advertises what.
pub(super) fn origins(telling: Telling<'_>, wans: &IdVec<WanId, bool>) -> OfPrefixes<Origin> {
    let fabric = telling.fabric;
    let mut origins: FxHashMap<IpPrefix, SmallVec<[Origin; 2]>> = FxHashMap::default();
    for id in fabric.routers.ids() {
        telling.told_by(id, &mut |prefix, origin| {
            add(origins.entry(prefix).or_default(), origin);
        });
    }
    let used = fabric.static_routes.iter().filter(|route| is_used(fabric, route, wans));
    for route in used.filter(|route| route.vrf.is_none()) {
        let Some(id) = fabric.devices[route.device].router else { continue };
        let router = &fabric.routers[id];
        let runs = router.protocol.is_some_and(|p| p.value != UnderlayProtocol::None);
        if runs && router.advertised.iter().any(|one| one.value == Advertised::Static) {
            let origin = Origin { router: id, what: Advertised::Static, cost: 0, domain: None };
            add(origins.entry(route.to.value).or_default(), origin);
        }
    }
    OfPrefixes::of(origins)
}
