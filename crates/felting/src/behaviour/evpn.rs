//! EVPN: what each VTEP originates, what it imports, and to whom it floods.
//!
//! What is kept is in proportion to the presences of segments: each one's targets, and who exports
//! which target. Tables of a VTEP are made one at a time, when asked.

mod apart;
mod attach;
mod distinct;
mod election;
mod flood;
mod forwarder;
mod instance;
mod kept;
mod learn;
mod routes;
pub(crate) mod tenant;
mod way_out;

pub use apart::Apart;
pub(crate) use attach::tag_of;
pub(super) use election::Elector;
pub(crate) use election::elects_by;
pub use election::{Election, ElectionView};
pub(crate) use flood::replication;
pub use flood::{FloodList, FloodTarget};
pub use instance::Instance;
pub use kept::Evpn;
pub(super) use kept::{outcome, outcome_again};
pub(crate) use learn::encapsulation;
pub(crate) use routes::knows_addresses;
pub use routes::{EvpnRoute, Import, NotImported, Received, RouteKind, RouteOf};
pub(crate) use tenant::holds_next_hop;
pub use tenant::{Learnt, TenantRoute, TenantSource};
pub use way_out::{NoWayOut, WayOut};
