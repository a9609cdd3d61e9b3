//! What real systems did, beside what is worked out here.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

mod bond;
mod evpn;
mod irb;
mod l2tp;
mod lacp;
mod mh;
mod stp;
mod vlan;

use serde_json::Value as Json;

/// The elements of a list; none if it is none.
pub(crate) fn list(value: &Json) -> &[Json] {
    value.as_array().map_or(&[], Vec::as_slice)
}

/// The text that a key has.
pub(crate) fn text<'a>(value: &'a Json, key: &str) -> &'a str {
    value[key].as_str().unwrap()
}
