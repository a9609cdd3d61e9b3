//! LAG selection: which members of each LAG are used, stand by, or stay individual, and why.
//!
//! Source: IEEE 802.1AX-2020 clause 6.4 (LACP). Ports aggregate that have one LAG ID: system and
//! key of both ends (6.3.6). 802.1AX's distributed relay (clause 9) is not modelled: a pair is
//! taken for one system in its groups.

mod facing;
mod lacpdu;
mod outcome;
mod partner;
mod refused;
mod selection;
mod why_not;

pub(crate) use facing::firsts_of_wholes;
pub(super) use facing::{facing, facing_of, facing_wholes};
pub use lacpdu::LacpState;
pub use outcome::{LagOutcome, MemberOutcome, MemberState, Reason, SystemId};
pub(super) use partner::port_number;
pub(super) use refused::may_refuse;
pub(crate) use refused::{can_mix, rate};
pub(super) use selection::{
    Basis, Lags, Members, hanging_together, outcomes, outcomes_again, system,
};
