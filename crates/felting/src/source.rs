//! What was written: the fabric language as data, with a place for every value.
//!
//! `load` reads a root file and all that it includes into one `Document` of statements.
//! Nothing is resolved here: a statement still says `kelp-*`, and a deviation still stands beside
//! it. Every fault is collected and none stops the reading.

#[cfg(feature = "csv")]
mod csv_cables;
mod fault;
mod files;
mod fits;
mod keys;
mod literal;
mod load;
mod name_index;
mod range;
mod read;
mod runs;
#[cfg(feature = "schema")]
mod schema;
mod statements;

pub(crate) use fault::Faults;
pub use fault::{Fault, FaultKind};
pub use files::{Disk, FileError, Files, MOST_BYTES, Memory, followed};
pub(crate) use fits::Many;
pub(crate) use keys::{Deviation, Layers, Level, Statement};
pub(crate) use load::{Layer, load};
pub(crate) use name_index::NameIndex;
pub(crate) use range::{Pattern, RangeFault, expand, glob_matches};
pub(crate) use read::{inner, shorten};
pub(crate) use runs::{Run, RunEnd, RunKeys};
#[cfg(feature = "schema")]
pub(crate) use schema::json_schema;
#[cfg(feature = "schema")]
pub use schema::reference;
pub(crate) use statements::for_statements;
pub(crate) use statements::{
    BondKeys, Document, HardwareKeys, HostKeys, InterfaceKeys, LagKeys, ManagementKeys, MemberKeys,
    NetworkKeys, OverlayKeys, PairKeys, PseudowireKeys, RepeaterKeys, RouterKeys, SegmentKeys,
    SessionKeys, StackKeys, StackMemberKeys, SwitchKeys, TreeKeys, UnderlayKeys,
};

pub(crate) use keys::Keys;

/// Builders of single statements, and what their keys take.
pub(crate) mod builders {
    pub use super::fits::{Fits, Many};
    pub use super::runs::{RunOptions, run};
    pub use super::statements::builders::*;
}
