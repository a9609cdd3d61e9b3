//! Faults of switches by themselves.

mod mac_reused;

use super::Rule;

pub(super) static RULES: &[&Rule] = &[&mac_reused::RULE];
