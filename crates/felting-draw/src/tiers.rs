//! Who is cabled with whom, in tiers.

use std::collections::BTreeMap;

use felting::Fabric;
use felting::fabric::{DeviceId, DeviceKind};
use felting::id::IdVec;
use felting::value::Role;

/// The cables of a fabric, by device.
pub(super) struct Cabling {
    /// The others, with how many cables.
    pub(super) beside: IdVec<DeviceId, BTreeMap<DeviceId, usize>>,
    pub(super) tier: IdVec<DeviceId, usize>,
}

impl Cabling {
    pub(super) fn of(fabric: &Fabric) -> Self {
        let mut beside: IdVec<DeviceId, BTreeMap<DeviceId, usize>> =
            fabric.of_each_device(|_| BTreeMap::new());
        for (_, cable) in fabric.cables() {
            let [a, b] = cable.ends.map(|end| fabric.port(end.value).device);
            if a != b {
                *beside[a].entry(b).or_default() += 1;
                *beside[b].entry(a).or_default() += 1;
            }
        }
        let tier = tiers(fabric, &beside);
        Self { beside, tier }
    }
}

/// The tier of each device, the top first: by its role, else by what it is cabled to.
fn tiers(
    fabric: &Fabric,
    beside: &IdVec<DeviceId, BTreeMap<DeviceId, usize>>,
) -> IdVec<DeviceId, usize> {
    const LEAF: usize = 2;
    let mut tier: IdVec<DeviceId, Option<usize>> = fabric.of_each_device(|id| {
        let device = fabric.device(id);
        match device.role.map(|role| role.value) {
            Some(Role::SuperSpine) => Some(0),
            Some(Role::Spine) => Some(1),
            Some(Role::Leaf | Role::Border) => Some(LEAF),
            None if device.kind == DeviceKind::Switch
                && (fabric.overlay_of(id).is_some() || device.pair.is_some()) =>
            {
                Some(LEAF)
            }
            Some(Role::Access | Role::Router) | None => None,
        }
    });
    let none = tier.iter().all(|(_, tier)| tier.is_none());
    if none {
        // Nothing is said of roles: what has hosts is a leaf, and what joins leaves is above them.
        for (id, device) in fabric.devices() {
            let has_hosts =
                beside[id].keys().any(|&other| fabric.device(other).kind == DeviceKind::Host);
            if device.kind == DeviceKind::Switch {
                tier[id] = Some(if has_hosts { LEAF } else { 1 });
            }
        }
    }
    // What is left is one below the lowest that it hangs from, step by step.
    let mut queue: std::collections::VecDeque<DeviceId> =
        tier.iter().filter(|(_, tier)| tier.is_some()).map(|(id, _)| id).collect();
    while let Some(device) = queue.pop_front() {
        let Some(own) = tier[device] else { continue };
        for &other in beside[device].keys() {
            if tier[other].is_none() {
                tier[other] = Some(own.max(LEAF) + 1);
                queue.push_back(other);
            }
        }
    }
    fabric.of_each_device(|id| tier[id].unwrap_or(LEAF + 1))
}
