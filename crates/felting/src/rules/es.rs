//! Faults of Ethernet segments.

mod df_clash;
mod id_clash;
mod id_reused;
mod mode_clash;
mod no_core_isolation;
mod one_leaf;
mod reserved_id;
mod single_active_on_lag;
mod system_clash;
mod vlan_clash;
mod vlan_drift_on_es;
mod with_pair;

use super::Check;
use crate::diagnostic::Span;
use crate::fabric::{Fabric, LagId};

pub(super) static RULES: &[&Check] = &[
    &df_clash::RULE,
    &vlan_drift_on_es::RULE,
    &no_core_isolation::RULE,
    &single_active_on_lag::RULE,
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
