//! Faults between sites: the WAN, and what goes over it.

mod flooding_over_wan;
mod no_path_within_bound;
mod route_too_slow;
mod route_unusable;
mod wan_mtu;
mod wan_tag_clash;
mod wan_unattached;
mod wan_unrouted;

use super::Check;
use crate::fabric::{DeviceId, Fabric, SiteId};

pub(super) static RULES: &[&Check] = &[
    &wan_unattached::RULE,
    &wan_tag_clash::RULE,
    &wan_mtu::RULE,
    &wan_unrouted::RULE,
    &no_path_within_bound::RULE,
    &route_too_slow::RULE,
    &route_unusable::RULE,
    &flooding_over_wan::RULE,
];

/// The site of a switch.
pub(super) fn site_of(fabric: &Fabric, device: DeviceId) -> Option<SiteId> {
    fabric.sites().find(|(_, site)| site.on.binary_search(&device).is_ok()).map(|(id, _)| id)
}
