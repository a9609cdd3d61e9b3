//! Faults of cables and the ports that they are in.

mod r#loop;
mod port_reused;
mod speed_clash;

use super::{Check, Context};
use crate::behaviour::{Aspect, Entity};
use crate::fabric::DeviceId;

pub(super) static RULES: &[&Check] = &[&port_reused::RULE, &speed_clash::RULE, &r#loop::RULE];

/// Whether a cable of a device is told to be in a wrong port, or to join what does not fit: what is missing elsewhere
/// follows from it.
pub(super) fn is_misplugged(cx: &Context<'_>, device: DeviceId) -> bool {
    let claimed = |entity, aspect| cx.state.causes().claimed(entity, aspect).is_some();
    let mut ports = cx.fabric.device(device).ports.iter();
    ports.any(|port| {
        let cable = cx.fabric.link(port).map(|(cable, _)| Entity::Cable(cable));
        claimed(Entity::Port(port), Aspect::Link)
            || cable
                .is_some_and(|cable| claimed(cable, Aspect::Speed) || claimed(cable, Aspect::Link))
    })
}
