//! Faults of the overlay: sessions of EVPN, route targets and distinguishers.

mod as_loop;
mod client_missing;
mod communities_dropped;
mod encapsulation_clash;
mod family_inactive;
mod multihop_missing;
mod next_hop_rewritten;
mod rd_reused;
mod reflector_external;
mod reflector_missing;
mod reflector_single;
mod rt_auto_across_as;
mod rt_no_exporter;
mod rt_no_importer;
mod rt_split;
mod rt_underivable;
mod source_clash;

use super::{Context, Rule};
use crate::fabric::{DeviceId, Fabric, RouterId, Session, SessionId};
use crate::source::Span;
use crate::value::{Asn, Family};

pub(super) static RULES: &[&Rule] = &[
    &source_clash::RULE,
    &multihop_missing::RULE,
    &family_inactive::RULE,
    &reflector_external::RULE,
    &reflector_missing::RULE,
    &client_missing::RULE,
    &reflector_single::RULE,
    &communities_dropped::RULE,
    &next_hop_rewritten::RULE,
    &as_loop::RULE,
    &encapsulation_clash::RULE,
    &rd_reused::RULE,
    &rt_underivable::RULE,
    &rt_auto_across_as::RULE,
    &rt_no_importer::RULE,
    &rt_no_exporter::RULE,
    &rt_split::RULE,
];

/// The AS number of a switch.
fn asn(fabric: &Fabric, device: DeviceId) -> Option<Asn> {
    fabric.router_of(device)?.as_number.map(|asn| asn.value)
}

/// Whether a session is inside one AS.
fn internal(fabric: &Fabric, session: &Session) -> bool {
    asn(fabric, session.device).is_some()
        && asn(fabric, session.device) == asn(fabric, session.peer)
}

/// The sessions that carry EVPN.
fn carrying<'a>(cx: &'a Context<'_>) -> impl Iterator<Item = (SessionId, &'a Session)> {
    cx.fabric.sessions().filter(|(id, _)| cx.state.bgp().session(*id).carries(Family::Evpn))
}

/// Whether the routes of one switch get to another.
fn hears(cx: &Context<'_>, at: RouterId, origin: RouterId) -> bool {
    cx.state.bgp().verdict(Family::Evpn, origin, at).is_some()
}

/// The VTEPs: the switch, as a router, and the place of its address. Of those that behave equally the
/// first three stand for all.
fn vteps(cx: &Context<'_>) -> Vec<(DeviceId, RouterId, Span)> {
    let all = cx.fabric.overlays().filter_map(|(_, overlay)| {
        let router = cx.fabric.device(overlay.device).router?;
        let stands = cx.state.bgp().stands_for_others(router);
        stands.then_some((overlay.device, router, overlay.vtep?.span))
    });
    all.collect()
}
