//! Faults of stacks.

mod id_clash;
mod link_miswired;
mod link_speed_mix;
mod member_id_range;
mod member_id_reused;
mod model_mix;
mod open_chain;
mod port_carries_data;
mod port_of_missing_member;
mod priority_tie;
mod split_detection_missing;
mod too_many_members;
mod uplink_single_member;

use super::Check;

pub(super) static RULES: &[&Check] = &[
    &member_id_reused::RULE,
    &member_id_range::RULE,
    &too_many_members::RULE,
    &id_clash::RULE,
    &link_miswired::RULE,
    &open_chain::RULE,
    &link_speed_mix::RULE,
    &split_detection_missing::RULE,
    &priority_tie::RULE,
    &model_mix::RULE,
    &uplink_single_member::RULE,
    &port_of_missing_member::RULE,
    &port_carries_data::RULE,
];
