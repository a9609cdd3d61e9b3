//! What LACPDUs read.

use super::outcome::{MemberState, Reason};
use crate::behaviour::State;
use crate::fabric::MemberId;
use crate::value::{Activity, Protocol};

/// The state that an end writes into its LACPDUs.
///
/// Source: IEEE 802.1AX clause 6.4.2.3 (`Actor_State`), bits 0 to 7 in this order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(clippy::struct_excessive_bools, reason = "the eight bits of one octet of the standard")]
#[non_exhaustive]
pub struct LacpState {
    /// It sends whatever the far end does.
    pub activity: bool,
    /// It gives its partner up after 3 seconds, not 90.
    pub short_timeout: bool,
    /// The port can be aggregated; otherwise it is individual.
    pub aggregation: bool,
    /// The port is in the right LAG, as far as this end is concerned.
    pub synchronization: bool,
    /// Frames that come in are taken.
    pub collecting: bool,
    /// Frames go out.
    pub distributing: bool,
    /// It has heard nothing and uses what it is set to assume of its partner.
    pub defaulted: bool,
    /// It has just lost its partner. Never once all is settled, which is what is told here.
    pub expired: bool,
}

impl LacpState {
    /// The octet on the wire.
    pub const fn octet(self) -> u8 {
        (self.activity as u8)
            | (self.short_timeout as u8) << 1
            | (self.aggregation as u8) << 2
            | (self.synchronization as u8) << 3
            | (self.collecting as u8) << 4
            | (self.distributing as u8) << 5
            | (self.defaulted as u8) << 6
            | (self.expired as u8) << 7
    }
}

impl std::fmt::Display for LacpState {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let words = [
            (true, if self.activity { "active" } else { "passive" }),
            (true, if self.short_timeout { "short timeout" } else { "long timeout" }),
            (!self.aggregation, "individual"),
            (self.synchronization, "in sync"),
            (self.collecting, "collecting"),
            (self.distributing, "distributing"),
            (self.defaulted, "defaulted"),
            (self.expired, "expired"),
        ];
        let said = words.iter().filter(|(holds, _)| *holds).map(|(_, word)| *word);
        f.write_str(&said.collect::<Vec<_>>().join(", "))
    }
}

impl State {
    /// What the LACPDUs read that a member sends; none if it speaks no LACP or has no link.
    ///
    /// Source: IEEE 802.1AX clause 6.4.2.3 (`Actor_State`).
    pub fn lacpdu(&self, member: MemberId) -> Option<LacpState> {
        let fabric = self.fabric();
        let outcome = self.member(member);
        let lag = fabric.lag(fabric.member(member).lag);
        outcome.far?;
        if lag.protocol.value != Protocol::Lacp || outcome.state == MemberState::Refused {
            return None;
        }
        let defaulted = matches!(outcome.reason, Reason::Unanswered(_));
        // Clause 6.4.12: a port that hears nothing works for itself with the partner it assumes.
        let alone = outcome.state == MemberState::Individual;
        let in_sync = outcome.state == MemberState::Selected || alone;
        Some(LacpState {
            activity: lag.mode.value == Activity::Active,
            short_timeout: lag.timeout.value == crate::value::Timeout::Short,
            aggregation: outcome.reason != Reason::OwnSystem,
            synchronization: in_sync,
            // Clause 6.4.15: both follow when the partner is in sync too.
            collecting: outcome.distributing || alone,
            distributing: outcome.distributing || alone,
            defaulted,
            expired: false,
        })
    }
}
