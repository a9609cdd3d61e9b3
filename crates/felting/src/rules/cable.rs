//! Faults of cables and the ports that they are in.

mod r#loop;
mod port_reused;
mod speed_clash;

use super::Check;

pub(super) static RULES: &[&Check] = &[&port_reused::RULE, &speed_clash::RULE, &r#loop::RULE];
