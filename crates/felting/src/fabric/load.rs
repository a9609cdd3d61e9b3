//! What a switch has to carry.

use super::{DeviceId, DeviceKind, Fabric, PortId};
use crate::value::Role;

/// The bandwidth of a switch's cabled ports towards hosts and towards the switches above it, in Mb/s.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Load {
    /// Towards hosts and the switches below.
    pub to_hosts: u64,
    /// Towards the switches above.
    pub to_spines: u64,
    /// How many ports lead to hosts and switches below.
    pub host_ports: usize,
    /// How many ports lead above.
    pub spine_ports: usize,
    /// The first port that leads above.
    pub first_uplink: Option<PortId>,
}

impl Load {
    /// What a switch's cables add up to, all of them up; [`State::load`](crate::State::load) counts those that are. The
    /// peer link of a pair counts in neither direction.
    pub fn of(fabric: &Fabric, device: DeviceId) -> Self {
        Self::by(fabric, device, |_| true)
    }

    /// What those of its cables add up to that count.
    pub(crate) fn by(fabric: &Fabric, device: DeviceId, counts: impl Fn(PortId) -> bool) -> Self {
        let tier = |device: DeviceId| match fabric.device(device).role.map(|role| role.value) {
            Some(Role::Spine) => 2,
            Some(Role::SuperSpine) => 3,
            Some(Role::Leaf | Role::Border) => 1,
            Some(Role::Router) => 4,
            Some(Role::Access) | None => 0,
        };
        let own = tier(device);
        let mut load = Self::default();
        for port in fabric.device(device).ports.iter().filter(|&port| counts(port)) {
            let Some((_, far)) = fabric.link(port) else { continue };
            let there = fabric.port(far).device;
            let speed = u64::from(
                fabric.port(port).speed.megabits().min(fabric.port(far).speed.megabits()),
            );
            if fabric.device(there).kind == DeviceKind::Host || tier(there) < own {
                load.to_hosts += speed;
                load.host_ports += 1;
            } else if matches!(tier(there), 2 | 3) && tier(there) > own {
                load.to_spines += speed;
                load.spine_ports += 1;
                load.first_uplink = load.first_uplink.or(Some(port));
            }
        }
        load
    }

    /// The ratio of the two as people write it: `3.2:1`.
    pub fn ratio(&self) -> String {
        match (self.to_hosts * 10).checked_div(self.to_spines) {
            None => "-".to_owned(),
            Some(tenths) if tenths % 10 == 0 => format!("{}:1", tenths / 10),
            Some(tenths) => format!("{}.{}:1", tenths / 10, tenths % 10),
        }
    }
}
