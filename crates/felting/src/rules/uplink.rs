//! Faults between hosts and the switches that they hang on.

mod bond_without_lag;
mod lag_without_bond;
mod single_nic;
mod split_without_pair;
mod vlan_missing;

use super::Rule;

pub(super) static RULES: &[&Rule] = &[
    &split_without_pair::RULE,
    &bond_without_lag::RULE,
    &lag_without_bond::RULE,
    &vlan_missing::RULE,
    &single_nic::RULE,
];
