//! What a member waits for, in words that an engineer can act on.

use super::outcome::{MemberState, Reason};
use super::selection::rank;
use crate::behaviour::State;
use crate::fabric::MemberId;
use crate::value::Unanswered;

impl State {
    /// Why a member is not in use, in words; none if it is.
    pub fn why_not(&self, member: MemberId) -> Option<String> {
        let fabric = self.fabric();
        let outcome = self.member(member);
        if outcome.state == MemberState::Selected {
            let below = self.lag(fabric.member(member).lag).below_minimum;
            return (!outcome.distributing && !below).then(|| "not used by the far end".to_owned());
        }
        let text = match outcome.reason {
            Reason::Negotiated | Reason::NotNegotiated => return None,
            Reason::TakenBy(other) => {
                format!("the LAG {} has the port", fabric.lag(other).name.value)
            }
            Reason::Outranked { .. } => format!("stands by: {}", outranked(self, member)),
            Reason::OtherPartner(lead) => {
                format!("left out: the LAG has {} for a partner", fabric.lag_label(lead))
            }
            Reason::OtherPart => "left out: it leads to another part of the split stack".into(),
            Reason::BeyondLimit(limit) => format!("refused: the device takes {limit} members"),
            Reason::OtherRate(rate) => {
                format!("refused: the device cannot mix rates, and the first member has {rate}")
            }
            Reason::NoCable => "no cable".into(),
            Reason::NoLink => "no link".into(),
            Reason::OtherKey => "left out: another LACP key than the others".into(),
            Reason::OtherPartition => "refused: a port of another partition".into(),
            Reason::Unsupported => "refused: the device can't do what the LAG asks".into(),
            Reason::PairSplit => "closed: the peer link is down, and this side is secondary".into(),
            Reason::StackSplit => "closed: its stack member is off, or split from the lead".into(),
            Reason::OwnSystem if outcome.state == MemberState::Closed => {
                "closed: it hears its own system identifier, and another member is used".into()
            }
            Reason::OwnSystem => "alone: it hears its own system identifier".into(),
            Reason::Unanswered(Unanswered::Closed) => "closed: nobody answers".into(),
            Reason::Unanswered(_) if outcome.state == MemberState::Closed => {
                "closed: nobody answers, and another member is used".into()
            }
            Reason::Unanswered(_) => "alone: nobody answers".into(),
        };
        Some(text)
    }
}

/// By what the members in use are better than one that stands by, as the end sees it that decides.
pub(crate) fn outranked(state: &State, member: MemberId) -> String {
    let fabric = state.fabric();
    let Reason::Outranked { decider, .. } = state.member(member).reason else {
        return String::new();
    };
    let lag = fabric.member(member).lag;
    let ranked = |member: MemberId| {
        let (near, far) = (fabric.member(member).port.value, state.member(member).far?);
        let decides = if decider == lag { near } else { far };
        Some((rank(fabric, near, far, decider == lag), decides))
    };
    let Some((own, port)) = ranked(member) else { return String::new() };
    let used = fabric
        .lag(lag)
        .members
        .iter()
        .filter(|&other| state.member(other).state == MemberState::Selected);
    let others: Vec<_> = used.filter_map(ranked).collect();
    let better = others.iter().filter(|(rank, _)| rank.0 < own.0).count();
    let device = fabric.device_name(fabric.lag(decider).device);
    let seen = format!("as {device}, the actor with the better system ID, sees it");
    match better {
        0 => format!(
            "{} comes after {} others of the same port priority, {}, {seen}",
            fabric.port_name(port),
            others.len(),
            own.0
        ),
        better => {
            format!("port priority {} is worse than those of {better} others, {seen}", own.0)
        }
    }
}
