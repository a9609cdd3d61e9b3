//! What the ports of bridges do in a tree, and why.

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::bridge::{BridgeId, BridgePortId};
use crate::id::IdVec;
use crate::value::{InstanceNumber, VlanSet};

/// What a port does in a tree (IEEE 802.1Q clause 13.12).
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum PortRole {
    /// It leads to the root.
    Root,
    /// It leads others to the root.
    Designated,
    /// It leads out of the region, to the root of the common tree.
    Master,
    /// It would lead to the root, if the root port did not.
    Alternate,
    /// It leads back to its own bridge.
    Backup,
    /// It takes no part, and forwards.
    Off,
    /// It has no link.
    Disabled,
}

impl PortRole {
    /// Whether frames pass it once the tree has settled.
    pub const fn forwards(self) -> bool {
        matches!(self, Self::Root | Self::Designated | Self::Master | Self::Off)
    }

    /// Whether it holds frames back.
    pub const fn discards(self) -> bool {
        matches!(self, Self::Alternate | Self::Backup)
    }

    /// What it does with frames, in a word.
    pub const fn state(self) -> &'static str {
        match self {
            Self::Disabled => "down",
            Self::Alternate | Self::Backup => "discarding",
            Self::Root | Self::Designated | Self::Master | Self::Off => "forwarding",
        }
    }

    /// The word for it.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Root => "root",
            Self::Designated => "designated",
            Self::Master => "master",
            Self::Alternate => "alternate",
            Self::Backup => "backup",
            Self::Off => "no tree",
            Self::Disabled => "disabled",
        }
    }
}

/// What decided over a port.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum TreeReason {
    /// The bridge is the root, so all its ports are designated.
    IsRoot,
    /// No other way leads to the root.
    OnlyWay,
    /// No other bridge is on the LAN.
    NobodyElse,
    /// The cost of the path to the root, against the next best.
    Cost {
        /// The own cost.
        own: u32,
        /// The next best.
        other: u32,
    },
    /// Costs are equal; the bridge at the other end, or this one, has the better identifier.
    Bridge,
    /// Costs and bridges are equal; the port at the other end has the better identifier.
    Port,
    /// All is equal but the own port.
    OwnPort,
    /// Another port of the LAN is designated, by its cost or its bridge's identifier.
    Beaten {
        /// That port.
        by: BridgePortId,
        /// The own bridge's cost to the root.
        own: u32,
        /// The cost of the other's bridge.
        other: u32,
        /// Whether the costs are equal, so that the bridge identifier decided.
        by_bridge: bool,
    },
    /// Another port of the same bridge is on the LAN and is the better.
    OwnOtherPort(BridgePortId),
    /// At the edge of a region the common tree decides.
    Common,
    /// The tree is off here.
    Off,
    /// There is no link.
    NoLink,
}

/// What a tree is for.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum TreeKind {
    /// All VLANs, or those of no instance: the common and internal spanning tree.
    Common,
    /// The VLANs of an instance of an MST region.
    Instance {
        /// The region's name.
        region: SmolStr,
        /// The instance.
        id: InstanceNumber,
    },
    /// Some VLANs, each with a tree of its own that is the same as the others'.
    Vlans(VlanSet),
}

/// How a bridge stands in a tree.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct TreeCase {
    /// The root bridge.
    pub root: BridgeId,
    /// The cost of the path to the root, between regions.
    pub cost: u32,
    /// The cost inside the region.
    pub internal_cost: u32,
    /// The root port; none on the root itself.
    pub root_port: Option<BridgePortId>,
}

/// One spanning tree.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Tree {
    /// What it is for.
    pub kind: TreeKind,
    /// How each bridge stands in it; none where it has no part.
    pub bridges: IdVec<BridgeId, Option<TreeCase>>,
    pub(super) ports: FxHashMap<BridgePortId, (PortRole, TreeReason)>,
}

impl Tree {
    /// What a port does in this tree and why; none where it has no part.
    pub fn port(&self, port: BridgePortId) -> Option<(PortRole, TreeReason)> {
        self.ports.get(&port).copied()
    }
}
