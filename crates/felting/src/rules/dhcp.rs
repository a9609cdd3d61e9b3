//! Faults of what DHCP gives to endpoints, and of how it reaches them.

mod covers_gateway;
mod outside_subnet;
mod overlap;
mod relay_missing;
mod router_wrong;

use super::Check;
use super::endpoint::{presences, segments_of, subnets};

pub(super) static RULES: &[&Check] = &[
    &outside_subnet::RULE,
    &covers_gateway::RULE,
    &router_wrong::RULE,
    &relay_missing::RULE,
    &overlap::RULE,
];
