//! Faults of single ports.

mod down_in_use;
mod mtu_clash;
mod partition_clash;

use super::Rule;

pub(super) static RULES: &[&Rule] = &[&down_in_use::RULE, &partition_clash::RULE, &mtu_clash::RULE];
