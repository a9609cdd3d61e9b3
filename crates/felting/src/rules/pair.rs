//! Faults between the two sides of a pair.

mod domain_clash;
mod group_one_sided;
mod group_settings;
mod peer_link_missing;
mod peer_link_vlan;

use super::Rule;

pub(super) static RULES: &[&Rule] = &[
    &domain_clash::RULE,
    &group_one_sided::RULE,
    &group_settings::RULE,
    &peer_link_missing::RULE,
    &peer_link_vlan::RULE,
];
