//! What is expected of a fabric, and does not hold.

mod failed;

use super::Check;
pub(super) use failed::{explain, report};

pub(super) static RULES: &[&Check] = &[&failed::RULE];
