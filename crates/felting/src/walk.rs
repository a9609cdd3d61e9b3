//! The way of a packet, from one end to the other and back, with all that it wears at each hop.
//!
//! A **walk** is a ping: each end and each router first learns the MAC address that it sends to (ARP or ND),
//! then an echo goes there and its reply back. It reads what the protocols made of the fabric and decides
//! nothing that they have decided. Tables are as they are once both ends have talked: what a switch would
//! learn from frames it has learned.
//!
//! - [`headers`](Headers) are what a packet wears; a [`Hop`] is a device, with [`Act`]s and [`Exit`]s; a
//!   [`Way`] is the way of one packet, or with [`Choice::All`] all ways that a flow could be spread over;
//! - a [`Walker`] keeps what many walks of one fabric share.

mod act;
mod alike;
mod arrival;
mod asked;
mod bridge;
mod expect;
mod explain;
mod hash;
mod headers;
mod host;
mod path;
mod ping;
mod reach;
mod resolution;
mod resolve;
mod route;
mod start;
mod switch;
mod trace;
mod tunnel;
mod unreached;
mod walked;
mod walker;
mod why;

pub use crate::behaviour::Shim;
pub use asked::{Choice, NoWalk, Options};
pub use expect::{Failure, Lost, Unmet, judge};
pub(crate) use explain::Among;
pub use headers::{Content, Destination, Frame, Headers, Outer, Packet, TAG};
pub use path::{Act, Bridging, End, Exit, Hop, Known, Resolved, Station, Stop, Table, Way};
pub use reach::{Reach, reach};
pub use resolution::{Answer, Asker, Resolution};
pub(crate) use unreached::Unreached;
pub use walked::Walk;
pub use walker::Walker;
pub use why::why;
