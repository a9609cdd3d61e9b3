//! What routers tell the underlay of.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::table::is_used;
use super::{DomainId, Origin};
use crate::behaviour::gateway::is_gateway;
use crate::fabric::{DeviceId, Fabric, InterfaceId, WanId};
use crate::id::IdVec;
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

pub(super) type Origins = FxHashMap<IpPrefix, SmallVec<[Origin; 2]>>;

/// Who advertises what.
pub(super) fn origins(
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
    let used = fabric.static_routes.iter().filter(|route| is_used(fabric, route, wans));
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
