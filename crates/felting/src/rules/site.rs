//! Faults between sites: the WAN, and what goes over it.

mod flooding_over_wan;
mod path_too_slow;
mod route_too_slow;
mod route_unusable;
mod wan_idle;
mod wan_mtu;
mod wan_tag_clash;
mod wan_unattached;
mod wan_unrouted;

use std::net::IpAddr;

use super::Check;
use crate::fabric::{DeviceId, Fabric, SiteId, StaticRoute};

pub(super) static RULES: &[&Check] = &[
    &wan_unattached::RULE,
    &wan_tag_clash::RULE,
    &wan_mtu::RULE,
    &wan_unrouted::RULE,
    &wan_idle::RULE,
    &path_too_slow::RULE,
    &route_too_slow::RULE,
    &route_unusable::RULE,
    &flooding_over_wan::RULE,
];

/// The site of a switch.
pub(super) fn site_of(fabric: &Fabric, device: DeviceId) -> Option<SiteId> {
    fabric.site_of.get(&device).copied()
}

/// Whom a route is for: the loopbacks and VTEPs of other sites that are in its prefix, else the first address of that.
pub(super) fn meant_by(fabric: &Fabric, route: &StaticRoute) -> Vec<IpAddr> {
    let far = fabric
        .routers()
        .filter(|(_, router)| site_of(fabric, router.device) != site_of(fabric, route.device));
    let addresses = far.flat_map(|(_, router)| {
        let vtep = fabric.vtep_of(router.device).map(|vtep| vtep.value);
        router.loopbacks.iter().map(|loopback| loopback.address()).chain(vtep)
    });
    let mut meant: Vec<IpAddr> = addresses.filter(|&address| route.to.contains(address)).collect();
    if meant.is_empty() {
        meant.push(route.to.value.address());
    }
    meant
}
