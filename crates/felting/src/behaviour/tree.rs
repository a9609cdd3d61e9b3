//! The spanning trees that the bridges of a fabric settle on.
//!
//! Source: IEEE 802.1Q clause 13 (RSTP and MSTP). One tree for each VLAN is no standard, and is
//! modelled as such a tree over the links that carry the VLAN.
//!
//! A **bridge** is a switch, a stack, or a pair (with the identifier that both sides share). A
//! **bridge port** is what carries VLANs: a LAG that is up, a multi-chassis LAG as a whole, a port,
//! or a member of a LAG that works for itself. The peer link is inside the bridge and never
//! discards. Hosts and routers are no bridges. Towards an Ethernet segment the tree is off.
//!
//! Bridges do not pass BPDUs on (802.1Q clause 8.6.3), so a bridge whose tree is off hides those
//! behind it.

mod again;
mod bridge;
mod bridges;
mod forwarding;
mod outcome;
mod region;
mod role;
mod spanning;
mod spans;
mod trees;
mod vlan_classes;

pub(super) use again::{Change, trees_again};
pub use bridge::{Bridge, BridgeId, BridgeIdentifier, BridgePort, BridgePortId, Carrier};
pub(super) use outcome::trees;
pub(crate) use region::region_identity;
pub use role::{PortRole, Tree, TreeCase, TreeKind, TreeReason};
pub use trees::{Loop, Trees, VlanCut};
