//! What becomes of LAGs and of their members.

use crate::behaviour::cause::CauseId;
use crate::fabric::{LagId, PortId};
use crate::value::{MacAddr, Speed, Unanswered};

/// An LACP system identifier. The lesser is the better: priority first, then MAC address
/// (IEEE 802.1AX clause 6.3.2).
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct SystemId {
    /// The system priority.
    pub priority: u16,
    /// The MAC address.
    pub mac: MacAddr,
}

impl std::fmt::Display for SystemId {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{},{}", self.priority, self.mac)
    }
}

/// Where a member ended up.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum MemberState {
    /// In the LAG.
    Selected,
    /// In the LAG's reserve: more members than can be used at once.
    Standby,
    /// Kept out of the LAG: it leads to another partner than the members that are in it.
    Apart,
    /// For itself: nobody answers, and the port works as if it were in no LAG.
    Individual,
    /// Nobody answers, and the port forwards nothing.
    Closed,
    /// Not in the LAG, whatever the far end says: its own device does not take it.
    Refused,
    /// Without a link.
    NoLink,
}

/// Why a member is where it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Reason {
    /// Both ends negotiated it.
    Negotiated,
    /// Nothing is negotiated: every member with a link is used.
    NotNegotiated,
    /// There is no cable in the port, or another cable has the port.
    NoCable,
    /// There is a cable, but no link.
    NoLink,
    /// Another LAG has the port.
    TakenBy(LagId),
    /// So many are used at most, and this end's ranking put others first.
    Outranked {
        /// How many are used at most.
        limit: u16,
        /// The LAG end whose system identifier is the better, so that its port ids decide.
        decider: LagId,
    },
    /// The LAG has this far LAG for a partner, and the member leads elsewhere.
    OtherPartner(LagId),
    /// The far LAG is of a stack that has split, and the member leads to another part of it than the others.
    OtherPart,
    /// The LAG has another LACP key than the member, or so has its far end.
    OtherKey,
    /// The device takes no more members than this.
    BeyondLimit(u16),
    /// The port belongs to another partition of the switch than the first member.
    OtherPartition,
    /// The device cannot mix rates, and the first member has this one.
    OtherRate(Speed),
    /// The device can't do what the LAG asks.
    Unsupported,
    /// The peer link of the pair is down, and this side is the secondary.
    PairSplit,
    /// The member of the stack is off, missing, or in a part that closed its ports.
    StackSplit,
    /// The far system has the own system identifier, so the port seems to lead back.
    OwnSystem,
    /// Nobody answers; this is what the LAG then does.
    Unanswered(Unanswered),
}

/// What became of a member.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct MemberOutcome {
    /// Where it ended up.
    pub state: MemberState,
    /// Whether frames go out by it as part of the LAG. A selected member does not distribute
    /// while the far end has not selected it too, or the LAG is short of its minimum.
    pub distributing: bool,
    /// Why it is there.
    pub reason: Reason,
    /// The fault that put it there, if one did.
    pub cause: Option<CauseId>,
    /// The far port, if the link is up.
    pub far: Option<PortId>,
}

impl MemberOutcome {
    /// What it is, in a word.
    pub const fn word(&self) -> &'static str {
        match self.state {
            MemberState::Selected if self.distributing => "in-use",
            MemberState::Selected => "selected",
            MemberState::Standby => "standby",
            MemberState::Apart => "left-out",
            MemberState::Individual => "individual",
            MemberState::Closed => "closed",
            MemberState::Refused => "refused",
            MemberState::NoLink => "no-link",
        }
    }
}

/// What became of a LAG end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct LagOutcome {
    /// Whether it carries frames.
    pub up: bool,
    /// How many of its own members distribute.
    pub in_use: u32,
    /// What those carry together.
    pub bandwidth: Option<Speed>,
    /// The far LAG end that its first distributing member leads to.
    pub partner: Option<LagId>,
    /// The system identifier that it presents, if it speaks LACP.
    pub system: Option<SystemId>,
    /// Whether it would have members in use, but fewer than its minimum, so that it is down.
    pub below_minimum: bool,
    /// Whether it has not one far LAG to itself.
    pub tangled: bool,
    /// The fault that keeps it from being whole, if one does.
    pub cause: Option<CauseId>,
}

impl LagOutcome {
    /// What it is, in a word, of an end that has so many members.
    pub const fn word(&self, members: usize) -> &'static str {
        match self.in_use as usize {
            0 => "down",
            in_use if in_use < members => "partial",
            _ => "up",
        }
    }
}
