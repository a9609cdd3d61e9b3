//! Faults of switches by themselves.

mod mac_reused;

use super::Check;

pub(super) static RULES: &[&Check] = &[&mac_reused::RULE];
