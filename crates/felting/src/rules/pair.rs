//! Faults between the two sides of a pair.

mod as_clash;
mod domain_clash;
mod escape_missing;
mod gateway_clash;
mod group_clash;
mod group_one_sided;
mod group_reused;
mod keepalive_in_band;
mod keepalive_mirror;
mod keepalive_missing;
mod keepalive_unreachable;
mod model_mix;
mod peer_link_clash;
mod peer_link_missing;
mod peer_link_miswired;
mod peer_link_not_lag;
mod peer_link_single;
mod peer_link_thin;
mod peer_link_vlan;
mod priority_tie;
mod segment_clash;
mod single_homed;
mod system_clash;
mod tree_clash;
mod vtep_clash;

use super::Check;

pub(super) static RULES: &[&Check] = &[
    &segment_clash::RULE,
    &vtep_clash::RULE,
    &gateway_clash::RULE,
    &escape_missing::RULE,
    &as_clash::RULE,
    &domain_clash::RULE,
    &system_clash::RULE,
    &group_reused::RULE,
    &group_one_sided::RULE,
    &group_clash::RULE,
    &peer_link_missing::RULE,
    &peer_link_miswired::RULE,
    &peer_link_not_lag::RULE,
    &peer_link_single::RULE,
    &peer_link_clash::RULE,
    &peer_link_vlan::RULE,
    &peer_link_thin::RULE,
    &keepalive_missing::RULE,
    &keepalive_mirror::RULE,
    &keepalive_in_band::RULE,
    &keepalive_unreachable::RULE,
    &priority_tie::RULE,
    &tree_clash::RULE,
    &model_mix::RULE,
    &single_homed::RULE,
];
