//! What is expected of a fabric, and does not hold.

mod failed;

use super::Rule;
pub(super) use failed::{explain, report};

pub(super) static RULES: &[&Rule] = &[&failed::RULE];
