//! Faults of what values are allotted from.

mod exhausted;
mod overlap;

use super::Check;

pub(super) static RULES: &[&Check] = &[&overlap::RULE, &exhausted::RULE];
