//! Regions of MSTP.

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::bridge::{Bridge, BridgeId};
use crate::fabric::{Fabric, TreeSettings};
use crate::id::IdVec;
use crate::value::{InstanceNumber, TreeMode, VlanSet};

/// The region of each bridge: those of one name, revision and map of VLANs share it, all others are
/// a region of their own (IEEE 802.1Q clause 13.8).
pub(super) fn regions(fabric: &Fabric, bridges: &IdVec<BridgeId, Bridge>) -> IdVec<BridgeId, u32> {
    let mut known: FxHashMap<RegionIdentity, u32> = FxHashMap::default();
    let mut next = 0;
    let mut new = || {
        next += 1;
        next
    };
    let region = |bridge: &Bridge| match bridge.settings.map(|tree| fabric.tree_setting(tree)) {
        Some(settings) if bridge.mode == TreeMode::Mstp => {
            *known.entry(region_identity(settings)).or_insert_with(&mut new)
        }
        _ => new(),
    };
    IdVec::of(bridges.values().map(region).collect::<Vec<_>>())
}

/// Name, revision and map of VLANs to instances of an MST region.
pub(crate) type RegionIdentity = (SmolStr, u16, Vec<(InstanceNumber, VlanSet)>);

/// What must be equal for two bridges to be in one region (IEEE 802.1Q clause 13.8).
pub(crate) fn region_identity(settings: &TreeSettings) -> RegionIdentity {
    let instances = settings.instances.iter();
    (
        settings.region.as_ref().map(|name| name.value.clone()).unwrap_or_default(),
        settings.revision.value,
        instances.map(|instance| (instance.id.value, instance.vlans.value.clone())).collect(),
    )
}
