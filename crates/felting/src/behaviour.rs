//! What protocols make of a fabric under a [`Condition`](crate::Condition).
//!
//! Order of evaluation, each once: links, stacks, keepalives and roles of pairs, settings of switches,
//! pairs and segments, LAG selection, spanning tree, underlay, BGP sessions, EVPN, pseudowires; and all of it again over the
//! links that these join. Every negative outcome
//! carries its [`Cause`]; rules report causes and never decide again what a protocol does.

pub(crate) mod agreement;
pub(crate) mod bgp;
pub(crate) mod carrier;
mod cause;
pub(crate) mod domain;
pub(crate) mod evpn;
pub(crate) mod flow_hash;
pub(crate) mod gateway;
pub(crate) mod host;
mod keepalive;
pub(crate) mod lag;
pub(crate) mod link;
mod loopbacks;
pub mod mtu;
pub(crate) mod pair;
pub(crate) mod session;
pub(crate) mod stack;
mod state;
pub(crate) mod tree;
mod trouble;
pub(crate) mod tunnel;
pub(crate) mod underlay;

pub use bgp::{Bgp, Learned, NotPassed, Path, Propagated};
pub use cause::{Aspect, Cause, CauseId, Causes, Entity};
pub use evpn::{
    Apart, Election, ElectionView, Evpn, EvpnRoute, FloodList, FloodTarget, Import, Instance,
    Learnt, NoWayOut, NotImported, Received, RouteKind, RouteOf, TenantRoute, TenantSource, WayOut,
};
pub use keepalive::{InBand, KeepaliveFault, KeepalivePath};
pub use lag::{LacpState, LagOutcome, MemberOutcome, MemberState, Reason, SystemId};
pub use pair::{GroupOutcome, PairOutcome, PrimaryReason};
pub use session::{SessionFault, SessionOutcome};
pub use stack::{LeadReason, StackOutcome, StackPart, StackShape};
pub use state::State;
pub use tree::{
    Bridge, BridgeId, BridgeIdentifier, BridgePort, BridgePortId, Carrier, Loop, PortRole, Tree,
    TreeCase, TreeKind, TreeReason, Trees, VlanCut,
};
pub use trouble::Trouble;
pub use tunnel::{Shim, WireFault, WireOutcome};
pub use underlay::{
    Adjacency, AdjacencyFault, AdjacencyId, Hop, LostWay, NoRoute, Route, RouteSource, Toward,
    Underlay, WrongTag,
};
