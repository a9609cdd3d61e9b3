//! Settings that mean nothing where they stand.

mod without_effect;

use super::Check;

pub(super) static RULES: &[&Check] = &[&without_effect::RULE];
