//! Faults of acceptances: what nobody answers for any more.

mod expired;
mod family_off;
mod unbounded;
mod unmatched;
mod without_reason;

use super::Check;

pub(super) static RULES: &[&Check] =
    &[&unmatched::RULE, &expired::RULE, &without_reason::RULE, &unbounded::RULE, &family_off::RULE];
