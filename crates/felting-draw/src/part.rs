//! The part of a fabric that is drawn.

use std::collections::BTreeSet;

use felting::Fabric;
use felting::fabric::{Cable, DeviceId, SegmentId, Selection, VrfId};

/// What stands on a plan of the cabling: all, all with something that must not be folded away, or a part with what it
/// is cabled to.
#[derive(Clone, Debug, Default)]
pub(crate) struct Focus {
    /// Never folded into others.
    pub(crate) kept: BTreeSet<DeviceId>,
    /// Only these, if it is a part.
    shown: Option<BTreeSet<DeviceId>>,
}

impl Focus {
    /// All, down to the row of the lowest that is kept.
    pub(crate) fn way(kept: BTreeSet<DeviceId>) -> Self {
        Self { kept, shown: None }
    }

    /// What is selected, with what it is cabled to; all if nothing is.
    pub(crate) fn part(fabric: &Fabric, only: Option<&Selection>) -> Self {
        let Some(only) = only else { return Self::default() };
        let kept: BTreeSet<DeviceId> = only.devices().collect();
        let mut shown = kept.clone();
        for (_, cable) in fabric.cables() {
            let ends = cable.ends.map(|end| fabric.port(end.value).device);
            if ends.iter().any(|end| kept.contains(end)) {
                shown.extend(ends);
            }
        }
        Self { kept, shown: Some(shown) }
    }

    pub(crate) fn is_part(&self) -> bool {
        self.shown.is_some()
    }

    pub(crate) fn shows(&self, device: DeviceId) -> bool {
        self.shown.as_ref().is_none_or(|shown| shown.contains(&device))
    }

    /// Cables between two that are only beside the part are left out.
    pub(crate) fn shows_cable(&self, fabric: &Fabric, cable: &Cable) -> bool {
        let kept = |port| self.kept.contains(&fabric.port(port).device);
        !self.is_part() || cable.ends.iter().any(|end| kept(end.value))
    }
}

/// The segments and VRFs of a part: those selected, those of a VRF that is, and those on switches that are.
#[derive(Clone, Debug, Default)]
pub(crate) struct Tenancy {
    only: Option<(BTreeSet<SegmentId>, BTreeSet<VrfId>, BTreeSet<DeviceId>)>,
}

impl Tenancy {
    pub(crate) fn of(fabric: &Fabric, only: Option<&Selection>) -> Self {
        let Some(only) = only else { return Self::default() };
        let on = |switch| only.has_device(switch);
        let segments: BTreeSet<SegmentId> = fabric
            .segments()
            .filter(|(id, segment)| {
                only.has_segment(*id)
                    || segment.vrf.is_some_and(|vrf| only.has_vrf(vrf.value))
                    || segment.presences.iter().any(|at| on(fabric.presence(at).switch))
            })
            .map(|(id, _)| id)
            .collect();
        let mut vrfs: BTreeSet<VrfId> = fabric
            .vrfs()
            .filter(|(id, vrf)| only.has_vrf(*id) || vrf.switches.iter().any(|at| on(at.switch)))
            .map(|(id, _)| id)
            .collect();
        vrfs.extend(segments.iter().filter_map(|&id| Some(fabric.segment(id).vrf?.value)));
        // Those selected, and those that hold what is.
        let mut switches: BTreeSet<DeviceId> = only.devices().collect();
        for &id in segments.iter().filter(|&&id| {
            let vrf = fabric.segment(id).vrf;
            only.has_segment(id) || vrf.is_some_and(|vrf| only.has_vrf(vrf.value))
        }) {
            let presences = fabric.segment(id).presences.iter();
            switches.extend(presences.map(|at| fabric.presence(at).switch));
        }
        for &id in vrfs.iter().filter(|&&id| only.has_vrf(id)) {
            switches.extend(fabric.vrf(id).switches.iter().map(|at| at.switch));
        }
        Self { only: Some((segments, vrfs, switches)) }
    }

    pub(crate) fn shows_segment(&self, segment: SegmentId) -> bool {
        self.only.as_ref().is_none_or(|(segments, ..)| segments.contains(&segment))
    }

    pub(crate) fn shows_vrf(&self, vrf: VrfId) -> bool {
        self.only.as_ref().is_none_or(|(_, vrfs, _)| vrfs.contains(&vrf))
    }

    pub(crate) fn shows_switch(&self, switch: DeviceId) -> bool {
        self.only.as_ref().is_none_or(|(.., switches)| switches.contains(&switch))
    }
}
