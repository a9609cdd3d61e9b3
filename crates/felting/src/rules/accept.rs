//! Faults of acceptances: what nobody answers for any more.

mod expired;
mod unmatched;
mod without_reason;

use super::Rule;

pub(super) static RULES: &[&Rule] = &[&unmatched::RULE, &expired::RULE, &without_reason::RULE];
