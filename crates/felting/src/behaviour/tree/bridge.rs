//! Bridges and their ports.

use std::fmt;

use smallvec::SmallVec;

use crate::fabric::{DeviceId, GroupId, LagId, PortId, TreeId};
use crate::id::typed_id;
use crate::value::{MacAddr, Speed, TreeMode, VlanSet};

typed_id! { /** A bridge. */ pub BridgeId, "bridge" }
typed_id! { /** A port of a bridge. */ pub BridgePortId, "bridge_port" }
typed_id! { /** What joins ports of bridges: a link, a LAG, or a shared medium. */ pub(crate) LanId, "lan" }

/// A bridge identifier. The lesser is the better: priority first, then MAC address.
///
/// Source: IEEE 802.1Q clause 14.2.5.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct BridgeIdentifier {
    /// The priority.
    pub priority: u32,
    /// The MAC address.
    pub mac: MacAddr,
}

impl fmt::Display for BridgeIdentifier {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.priority, self.mac)
    }
}

/// A bridge.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Bridge {
    /// The switches that it is made of: one, or the two of a pair.
    pub devices: SmallVec<[DeviceId; 2]>,
    /// Its identifier in the common tree.
    pub identifier: BridgeIdentifier,
    /// Which tree it runs.
    pub mode: TreeMode,
    /// What is written about its tree.
    pub settings: Option<TreeId>,
    /// Whether somebody chose its priority, or it is the one that devices come with.
    pub chosen: bool,
}

/// What carries the frames of a bridge port.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Carrier {
    /// A port, or a member of a LAG that works for itself.
    Port(PortId),
    /// A LAG.
    Lag(LagId),
    /// A multi-chassis LAG as a whole.
    Group(GroupId),
}

/// A port of a bridge.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct BridgePort {
    /// The bridge.
    pub bridge: BridgeId,
    /// What carries its frames.
    pub carrier: Carrier,
    /// Its number on the bridge.
    pub number: u16,
    /// Its priority; the lower is the better.
    pub priority: u32,
    /// What it adds to the cost of a path.
    pub cost: u32,
    /// What it carries per second, together.
    pub bandwidth: Option<Speed>,
    /// The VLANs that it carries, tagged or not.
    pub vlans: VlanSet,
    /// Whether it takes part in a tree.
    pub runs: bool,
    /// Whether it has a link.
    pub linked: bool,
    /// The port at the end of its cable that sends its BPDUs by another: a LAG that takes several ports for one.
    pub beyond: Option<BridgePortId>,
    pub(crate) lan: Option<LanId>,
}
