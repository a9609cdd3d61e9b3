//! Faults of Ethernet segments.

mod core_isolation_missing;
mod df_clash;
mod id_clash;
mod id_reused;
mod mode_clash;
mod reserved_id;
mod single_active_on_lag;
mod single_leaf;
mod system_clash;
mod vlan_clash;
mod vlan_drift;
mod with_pair;

use super::Check;
use crate::diagnostic::Span;
use crate::fabric::{Fabric, LagId};

pub(super) static RULES: &[&Check] = &[
    &df_clash::RULE,
    &vlan_drift::RULE,
    &core_isolation_missing::RULE,
    &single_active_on_lag::RULE,
    &reserved_id::RULE,
    &with_pair::RULE,
    &id_clash::RULE,
    &id_reused::RULE,
    &single_leaf::RULE,
    &system_clash::RULE,
    &mode_clash::RULE,
    &vlan_clash::RULE,
];

/// Where a LAG names its Ethernet segment.
fn place(fabric: &Fabric, lag: LagId) -> Span {
    let lag = fabric.lag(lag);
    lag.ethernet_segment.map_or(lag.name.span, |id| id.span)
}
