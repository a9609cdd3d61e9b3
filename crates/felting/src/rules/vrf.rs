//! Faults of VRFs: VNIs, targets, leaks, and the way out.

mod asymmetric_needs_segment;
mod border_missing;
mod default_missing;
mod irb_clash;
mod leaf_missing;
mod leak_empty;
mod leak_one_way;
mod leak_overlap;
mod leak_undeclared;
mod outside_unreachable;
mod rd_reused;
mod router_mac_clash;
mod rt_clash;
mod vni_clash;
mod vni_missing;
mod vni_reused;

use super::Check;
use crate::fabric::{Fabric, VrfId, VrfPresence};

pub(super) static RULES: &[&Check] = &[
    &vni_missing::RULE,
    &vni_clash::RULE,
    &vni_reused::RULE,
    &irb_clash::RULE,
    &asymmetric_needs_segment::RULE,
    &rt_clash::RULE,
    &rd_reused::RULE,
    &router_mac_clash::RULE,
    &leak_one_way::RULE,
    &leak_empty::RULE,
    &leak_overlap::RULE,
    &leak_undeclared::RULE,
    &border_missing::RULE,
    &leaf_missing::RULE,
    &default_missing::RULE,
    &outside_unreachable::RULE,
];

/// A VRF on a VTEP, and its place among the VRF's switches.
fn on_vteps(fabric: &Fabric, vrf: VrfId) -> impl Iterator<Item = (usize, &VrfPresence)> {
    let all = fabric.vrf(vrf).switches.iter().enumerate();
    all.filter(|(_, at)| fabric.vtep_of(at.switch).is_some())
}
