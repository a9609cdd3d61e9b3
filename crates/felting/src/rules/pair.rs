//! Faults between the two sides of a pair.

mod as_clash;
mod domain_clash;
mod escape_missing;
mod gateway_clash;
mod group_clash;
mod group_one_sided;
mod group_reused;
mod keepalive_in_band;
mod keepalive_mirror;
mod keepalive_missing;
mod keepalive_unreachable;
mod link_unused;
mod model_mix;
mod peer_link_clash;
mod peer_link_grouped;
mod peer_link_missing;
mod peer_link_miswired;
mod peer_link_not_lag;
mod peer_link_single;
mod peer_link_thin;
mod peer_link_vlan;
mod priority_tie;
mod segment_clash;
mod single_homed;
mod system_clash;
mod tree_clash;
mod vtep_clash;

use super::{Check, Context};
use crate::behaviour::PairOutcome;
use crate::fabric::{LagId, PairId};
use crate::value::PeerLinkLoss;

pub(super) static RULES: &[&Check] = &[
    &segment_clash::RULE,
    &vtep_clash::RULE,
    &gateway_clash::RULE,
    &escape_missing::RULE,
    &as_clash::RULE,
    &domain_clash::RULE,
    &system_clash::RULE,
    &group_reused::RULE,
    &group_one_sided::RULE,
    &group_clash::RULE,
    &peer_link_missing::RULE,
    &peer_link_miswired::RULE,
    &peer_link_not_lag::RULE,
    &peer_link_single::RULE,
    &peer_link_grouped::RULE,
    &peer_link_clash::RULE,
    &peer_link_vlan::RULE,
    &peer_link_thin::RULE,
    &link_unused::RULE,
    &keepalive_missing::RULE,
    &keepalive_mirror::RULE,
    &keepalive_in_band::RULE,
    &keepalive_unreachable::RULE,
    &priority_tie::RULE,
    &tree_clash::RULE,
    &model_mix::RULE,
    &single_homed::RULE,
];

/// What the sides of a pair do while there is no peer link between them.
pub(super) fn without_peer_link(cx: &Context<'_>, id: PairId) -> String {
    let pair = cx.fabric.pair(id);
    let &PairOutcome { closes, does, doubled, primary, .. } = cx.state.pair(id);
    let name = |side: usize| cx.fabric.device_name(pair.sides[side].switch.value);
    match (closes, primary) {
        (Some(side), _) => {
            let what = match does {
                Some(PeerLinkLoss::CloseAll) => "all ports that carry VLANs",
                _ => "its groups",
            };
            format!(
                "{}, the secondary, hears by the keepalive that {} lives and closes {what}: hosts have one leg",
                name(side),
                name(1 - side)
            )
        }
        _ if doubled => {
            "no keepalive arrives either, so both sides carry on as primary: each host has two partners that know \
             nothing of each other"
                .to_owned()
        }
        (None, Some(primary)) if does.is_some() => format!(
            "{}, the secondary, stays as it is: what arrives at the side whose leg to a host is down is dropped",
            name(1 - primary)
        ),
        _ => "the sides learn nothing from each other: what arrives at the side whose leg to a host is down is \
              dropped"
            .to_owned(),
    }
}

/// The pair whose peer link a LAG is.
pub(super) fn of_peer_link(cx: &Context<'_>, lag: LagId) -> Option<PairId> {
    let (pair, side) = cx.fabric.device(cx.fabric.lag(lag).device).pair?;
    let link = cx.fabric.pair(pair).sides[side].peer_link?;
    (link.value == lag).then_some(pair)
}
