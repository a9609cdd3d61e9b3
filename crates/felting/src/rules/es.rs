//! Faults of Ethernet segments.

mod id_clash;
mod id_reused;
mod mode_clash;
mod one_leaf;
mod reserved_id;
mod system_clash;
mod vlan_clash;
mod with_pair;

use super::Rule;
use crate::fabric::{Fabric, LagId};
use crate::source::Span;

pub(super) static RULES: &[&Rule] = &[
    &reserved_id::RULE,
    &with_pair::RULE,
    &id_clash::RULE,
    &id_reused::RULE,
    &one_leaf::RULE,
    &system_clash::RULE,
    &mode_clash::RULE,
    &vlan_clash::RULE,
];

/// Where a LAG names its Ethernet segment.
fn place(fabric: &Fabric, lag: LagId) -> Span {
    let lag = fabric.lag(lag);
    lag.segment_id.map_or(lag.name.span, |id| id.span)
}
