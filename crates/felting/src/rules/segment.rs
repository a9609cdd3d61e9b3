//! Faults of segments: VLANs, VNIs and where they are.

mod vni_clash;
mod vni_reused;

use super::Rule;

pub(super) static RULES: &[&Rule] = &[&vni_clash::RULE, &vni_reused::RULE];
