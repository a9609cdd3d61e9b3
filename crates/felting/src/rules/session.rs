//! Faults of BGP sessions, over links and between loopbacks.

mod as_clash;
mod communities_dropped;
mod family_one_sided;
mod multihop_missing;
mod one_sided;
mod policy_missing;
mod source_clash;
mod unreachable;

use super::{Check, Context};
use crate::behaviour::Entity;
use crate::fabric::{Session, SessionId};
use crate::value::Family;

pub(super) static RULES: &[&Check] = &[
    &as_clash::RULE,
    &one_sided::RULE,
    &policy_missing::RULE,
    &source_clash::RULE,
    &multihop_missing::RULE,
    &family_one_sided::RULE,
    &communities_dropped::RULE,
    &unreachable::RULE,
];

/// The two ends of sessions that a rule's causes are about.
fn clashes(cx: &Context<'_>, rule: &str) -> Vec<(SessionId, SessionId)> {
    let causes = cx.state.causes().of(rule);
    let ends = causes.filter_map(|cause| match (cause.entity, cause.other) {
        (Entity::Session(near), Some(Entity::Session(far))) => Some((near, far)),
        _ => None,
    });
    ends.collect()
}

/// The sessions that carry EVPN.
pub(super) fn carrying<'a>(cx: &'a Context<'_>) -> impl Iterator<Item = (SessionId, &'a Session)> {
    cx.fabric.sessions().filter(|(id, _)| cx.state.bgp().session(*id).carries(Family::Evpn))
}
