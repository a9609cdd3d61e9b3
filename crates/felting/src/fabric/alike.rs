//! Whether two fabrics are alike in all that a part of the behaviour reads, wherever it is written.

use super::Arenas;

/// Whether all of these fields are equal.
macro_rules! same {
    ($one:ident, $other:ident: $($field:ident)+) => {
        $($one.$field == $other.$field)&&+
    };
}

impl Arenas {
    /// What causes follow from that are found in settings alone: the plant, what is aggregated, and segments.
    pub(crate) fn agrees_like(&self, other: &Self) -> bool {
        same!(self, other: hardware devices ports port_settings cables plugged lags members port_member groups pairs
            ethernet_segments tree_settings segments presences settings)
    }

    /// What MAC-VRFs and IP-VRFs follow from.
    pub(crate) fn has_instances_like(&self, other: &Self) -> bool {
        same!(self, other: routers overlays segments presences settings evis vrfs)
    }

    /// What routes follow from, where the same links carry packets.
    pub(crate) fn routes_like(&self, other: &Self) -> bool {
        let placed = |fabric: &Self| -> Vec<_> {
            fabric.devices.values().map(|device| (device.router, device.pair)).collect()
        };
        let doors = |fabric: &Self| -> Vec<_> {
            let ends = fabric.wans.values().flat_map(|wan| &wan.ends);
            ends.map(|end| fabric.ports[end.value].device).collect()
        };
        let pairs = |fabric: &Self| -> Vec<_> {
            let sides = fabric.pairs.values().flat_map(|pair| &pair.sides);
            sides.map(|side| side.switch.value).collect()
        };
        same!(self, other: routers interfaces interface_far sessions overlays policies static_routes wans exhausted
            segments presences settings vrfs)
            && placed(self) == placed(other)
            && doors(self) == doors(other)
            && pairs(self) == pairs(other)
    }
}
