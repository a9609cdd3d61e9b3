//! Faults of cables and the ports that they are in.

mod r#loop;
mod port_reused;
mod speed_clash;

use super::Rule;

pub(super) static RULES: &[&Rule] = &[&port_reused::RULE, &speed_clash::RULE, &r#loop::RULE];
