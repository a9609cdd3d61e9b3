//! Faults of stacks.

mod domain_clash;
mod link_miswired;
mod link_speed_mix;
mod member_id_range;
mod member_id_reused;
mod model_mix;
mod neighbour_domain_clash;
mod no_split_detection;
mod open_chain;
mod port_carries_data;
mod port_of_missing_member;
mod priority_tie;
mod too_many_members;
mod uplink_on_one_member;

use super::Check;

pub(super) static RULES: &[&Check] = &[
    &member_id_reused::RULE,
    &member_id_range::RULE,
    &too_many_members::RULE,
    &domain_clash::RULE,
    &neighbour_domain_clash::RULE,
    &link_miswired::RULE,
    &open_chain::RULE,
    &link_speed_mix::RULE,
    &no_split_detection::RULE,
    &priority_tie::RULE,
    &model_mix::RULE,
    &uplink_on_one_member::RULE,
    &port_of_missing_member::RULE,
    &port_carries_data::RULE,
];
