//! Faults of the overlay: sessions of EVPN, route targets and distinguishers.

mod as_loop;
mod encapsulation_clash;
mod next_hop_rewritten;
mod rd_reused;
mod reflector_client_missing;
mod reflector_external;
mod reflector_missing;
mod reflector_single;
mod rt_auto_across_as;
mod rt_foreign;
mod rt_no_exporter;
mod rt_no_importer;
mod rt_reused;
mod rt_split;
mod rt_underivable;
mod vtep_missing;
mod vtep_unheard;
mod vtep_unsupported;

use std::collections::BTreeMap;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::{Check, Context};
use crate::behaviour::Apart;
use crate::behaviour::evpn::replication;
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, Fabric, PresenceId, RouterId};
use crate::value::{Asn, Replication};

pub(super) static RULES: &[&Check] = &[
    &reflector_external::RULE,
    &reflector_missing::RULE,
    &reflector_client_missing::RULE,
    &reflector_single::RULE,
    &next_hop_rewritten::RULE,
    &as_loop::RULE,
    &encapsulation_clash::RULE,
    &rd_reused::RULE,
    &rt_underivable::RULE,
    &rt_auto_across_as::RULE,
    &rt_no_importer::RULE,
    &rt_no_exporter::RULE,
    &rt_foreign::RULE,
    &rt_reused::RULE,
    &rt_split::RULE,
    &vtep_missing::RULE,
    &vtep_unheard::RULE,
    &vtep_unsupported::RULE,
];

/// The families of rules that tell why VTEPs are apart.
pub(super) const TELLS_WHY: &[&str] = &[
    "switch", "cable", "port", "lag", "pair", "stack", "es", "tree", "pool", "underlay", "session",
    "overlay", "site",
];

/// Pairs of VTEPs of one segment that don't have each other, an example for each two classes of speakers, with
/// the reason; from one that lacks the other.
pub(super) fn apart(cx: &Context<'_>) -> Vec<(PresenceId, PresenceId, Apart)> {
    let fabric = cx.fabric;
    let is_off = |id: PresenceId| cx.state.is_off(fabric.presence(id).switch);
    let mut known: FxHashMap<(DeviceId, DeviceId), Option<Apart>> = FxHashMap::default();
    let mut found = Vec::new();
    let mut said: FxHashSet<(Stand, Stand)> = FxHashSet::default();
    for (_, segment) in fabric.segments() {
        // Of those that behave equally the first two stand for all.
        let mut members: BTreeMap<Stand, SmallVec<[PresenceId; 2]>> = BTreeMap::new();
        for presence in
            segment.presences.iter().filter(|&id| fabric.presence(id).vni.is_some() && !is_off(id))
        {
            let Some(stand) = Stand::of(cx, presence) else { continue };
            let of_stand = members.entry(stand).or_default();
            if of_stand.len() < 2 {
                of_stand.push(presence);
            }
        }
        for (one, heres) in &members {
            for (other, theres) in &members {
                if said.contains(&(*one, *other)) {
                    continue;
                }
                let here = heres[0];
                let there = theres.iter().copied().find(|&there| there != here);
                let Some(there) = there else { continue };
                let (from, to) = (fabric.presence(here).switch, fabric.presence(there).switch);
                let address = |device| fabric.vtep_of(device).map(|vtep| vtep.value);
                // The sides of a pair are one VTEP.
                if address(from) == address(to) {
                    continue;
                }
                let why =
                    *known.entry((from, to)).or_insert_with(|| match replication(fabric, here) {
                        Some(Replication::Ingress) => cx.state.arrives(from, to).err(),
                        _ => cx.state.sends(from, to).err(),
                    });
                if let Some(why) = why.filter(|&why| why != Apart::Own) {
                    said.insert((*one, *other));
                    found.push((here, there, why));
                }
            }
        }
    }
    found
}

/// What of a VTEP decides whom it hears and reaches: it stands for those that have the same.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
struct Stand {
    class: u32,
    view: u32,
    is_ipv4: bool,
    evpn: bool,
}

impl Stand {
    fn of(cx: &Context<'_>, presence: PresenceId) -> Option<Self> {
        let fabric = cx.fabric;
        let switch = fabric.presence(presence).switch;
        let router = fabric.device(switch).router?;
        let (class, view) = cx.state.stands(router);
        let is_ipv4 = fabric.vtep_of(switch)?.value.is_ipv4();
        let evpn = replication(fabric, presence)? == Replication::Ingress;
        Some(Self { class, view, is_ipv4, evpn })
    }
}

/// The AS number of a switch.
fn asn(fabric: &Fabric, device: DeviceId) -> Option<Asn> {
    fabric.router_of(device)?.as_number.map(|asn| asn.value)
}

/// The VTEPs: the switch, as a router, and the place of its address. Of those that behave equally the
/// first three stand for all.
fn vteps(cx: &Context<'_>) -> Vec<(DeviceId, RouterId, Span)> {
    let all = cx.fabric.overlays().filter_map(|(_, overlay)| {
        let router = cx.fabric.device(overlay.device).router?;
        let stands = cx.state.bgp().stands_for_others(cx.fabric, router);
        stands.then_some((overlay.device, router, overlay.vtep?.span))
    });
    all.collect()
}
