//! Faults between the two sides of a pair.

mod domain_clash;
mod group_clash;
mod group_one_sided;
mod group_settings;
mod keepalive_in_band;
mod keepalive_mirror;
mod keepalive_missing;
mod keepalive_unreachable;
mod model_mix;
mod peer_link_missing;
mod peer_link_miswired;
mod peer_link_not_lag;
mod peer_link_settings;
mod peer_link_single;
mod peer_link_thin;
mod peer_link_vlan;
mod priority_tie;
mod single_homed;
mod system_clash;
mod tree_clash;

use super::Rule;

pub(super) static RULES: &[&Rule] = &[
    &domain_clash::RULE,
    &system_clash::RULE,
    &group_clash::RULE,
    &group_one_sided::RULE,
    &group_settings::RULE,
    &peer_link_missing::RULE,
    &peer_link_miswired::RULE,
    &peer_link_not_lag::RULE,
    &peer_link_single::RULE,
    &peer_link_settings::RULE,
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
