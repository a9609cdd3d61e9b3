//! Faults of segments: VLANs, VNIs, where they are, flooding and gateways.

mod address_reused;
mod flood_list_one_sided;
mod flooding_clash;
mod gateway_address_missing;
mod gateway_clash;
mod gateway_kind_clash;
mod gateway_mac_clash;
mod gateway_missing;
mod gateway_outside_subnet;
mod gateway_two_actives;
mod leaf_missing;
mod multicast_group_clash;
mod multicast_group_invalid;
mod multicast_group_reused;
mod prefix_length_clash;
mod rendezvous_clash;
mod rendezvous_missing;
mod reverse_path_fails;
mod single_vtep;
mod subnet_drift;
mod subnet_overlap;
mod udp_port_clash;
mod unused;
mod vlan_drift;
mod vlan_missing;
mod vlan_reserved;
mod vlan_reused_on_switch;
mod vni_also_vrf;
mod vni_clash;
mod vni_missing;
mod vni_range;
mod vni_reused;
mod vrf_clash;
mod vtep_missing;

use std::collections::BTreeMap;

use rustc_hash::{FxHashMap, FxHashSet};

use super::{Check, Context, Findings, Severity};
pub(super) use crate::behaviour::agreement::of_one_pair;
use crate::behaviour::gateway::is_gateway;
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, Fabric, Presence, PresenceId, SegmentId, Side};
use crate::value::{GatewayKind, VlanId, VlanSet};

pub(super) static RULES: &[&Check] = &[
    &vni_clash::RULE,
    &vni_missing::RULE,
    &vni_reused::RULE,
    &vni_also_vrf::RULE,
    &vni_range::RULE,
    &vlan_reused_on_switch::RULE,
    &vlan_reserved::RULE,
    &vlan_drift::RULE,
    &vlan_missing::RULE,
    &leaf_missing::RULE,
    &vtep_missing::RULE,
    &single_vtep::RULE,
    &unused::RULE,
    &vrf_clash::RULE,
    &flooding_clash::RULE,
    &multicast_group_invalid::RULE,
    &multicast_group_clash::RULE,
    &multicast_group_reused::RULE,
    &rendezvous_missing::RULE,
    &rendezvous_clash::RULE,
    &reverse_path_fails::RULE,
    &udp_port_clash::RULE,
    &flood_list_one_sided::RULE,
    &gateway_outside_subnet::RULE,
    &prefix_length_clash::RULE,
    &gateway_missing::RULE,
    &gateway_clash::RULE,
    &gateway_address_missing::RULE,
    &address_reused::RULE,
    &gateway_kind_clash::RULE,
    &gateway_two_actives::RULE,
    &gateway_mac_clash::RULE,
    &subnet_overlap::RULE,
    &subnet_drift::RULE,
];

/// What a segment is set to on one switch: the place, and the value as a text.
pub(super) struct Setting {
    pub(super) presence: PresenceId,
    pub(super) span: Span,
    pub(super) text: String,
}

/// What a rule says of settings that differ.
pub(super) struct Odd<'a> {
    /// What differs: "the VLAN".
    pub(super) what: &'a str,
    pub(super) wire: &'a str,
    pub(super) remedy: &'a str,
    /// Another severity than the rule's, for some presences.
    pub(super) severity: &'a dyn Fn(PresenceId) -> Option<Severity>,
}

/// Reports the settings of a segment that are not as most of its switches have them. What is written
/// once is reported once.
pub(super) fn report_odd(
    cx: &Context<'_>,
    out: &mut Findings<'_>,
    segment: SegmentId,
    settings: &[Setting],
    odd: &Odd<'_>,
    said: &mut FxHashSet<Span>,
) {
    let fabric = cx.fabric;
    let Some(first) = settings.first() else { return };
    if settings.iter().all(|setting| setting.text == first.text) {
        return;
    }
    let mut counts: FxHashMap<&str, usize> = FxHashMap::default();
    for setting in settings {
        *counts.entry(&setting.text).or_default() += 1;
    }
    let most = settings.iter().rev().max_by_key(|setting| counts[setting.text.as_str()]);
    let usual = most.unwrap_or(first);
    for setting in settings.iter().filter(|setting| setting.text != usual.text) {
        if !said.insert(setting.span) {
            continue;
        }
        let device = |presence: PresenceId| fabric.presence(presence).switch;
        let (name, other) = (
            fabric.device_name(device(setting.presence)),
            fabric.device_name(device(usual.presence)),
        );
        let segment = &fabric.segment(segment).name;
        let related = if usual.span == setting.span { segment.span } else { usual.span };
        let draft = out
            .report(
                setting.span,
                format!("{name}: {}", setting.text),
                format!(
                    "{} of {} differs: {} on {name}, {} on others",
                    odd.what, segment.value, setting.text, usual.text
                ),
            )
            .related(related, format!("{other}: {}", usual.text))
            .wire(odd.wire)
            .remedy(odd.remedy)
            .about(device(setting.presence))
            .about_name(&segment.value);
        if let Some(severity) = (odd.severity)(setting.presence) {
            draft.severity(severity);
        }
    }
}

/// The presences that are mapped to a VNI on a VTEP.
pub(super) fn mapped(cx: &Context<'_>, segment: SegmentId) -> Vec<PresenceId> {
    let presences = cx.fabric.segment(segment).presences.iter();
    presences.filter(|&presence| cx.state.evpn().instance(presence).is_some()).collect()
}

/// Whether all presences are on one VTEP, the two sides of a pair as one.
pub(super) fn in_one_place(fabric: &Fabric, presences: &[PresenceId]) -> bool {
    let place = |&presence: &PresenceId| {
        let switch = fabric.presence(presence).switch;
        fabric.device(switch).pair.map_or(Err(switch), |(pair, _)| Ok(pair))
    };
    let mut places = presences.iter().map(place);
    let first = places.next();
    places.all(|other| Some(other) == first)
}

/// Whether two segments have one VLAN on a switch.
fn shares_vlan(fabric: &Fabric, device: DeviceId) -> bool {
    let mut known = FxHashSet::default();
    let mut vlans = fabric.presences_on(device).iter().filter_map(|&id| fabric.presence(id).vlan);
    vlans.any(|vlan| !known.insert(vlan.value))
}

/// The VLANs that a switch's ports and LAGs carry, peer links left out, with the place of each list.
pub(super) fn carried(fabric: &Fabric, switch: DeviceId) -> Vec<(VlanSet, Span)> {
    let mut lists = Vec::new();
    let pair = fabric.device(switch).pair;
    let peers: Vec<_> = pair
        .map(|(pair, side)| &fabric.pair(pair).sides[side])
        .into_iter()
        .flat_map(Side::links)
        .collect();
    let mut seen = FxHashSet::default();
    for port in fabric.device(switch).ports.iter() {
        match fabric.lag_of(port) {
            Some(lag) if peers.contains(&lag) || !seen.insert(lag) => {}
            Some(lag) => {
                let lag = fabric.lag(lag);
                lists.push((lag.tagged.value.clone(), lag.tagged.span));
                lists.extend(lag.untagged.map(|vlan| (VlanSet::from(vlan.value), vlan.span)));
            }
            None => {
                if let Some(settings) = fabric.settings_of(port) {
                    lists.push((settings.tagged.value.clone(), settings.tagged.span));
                    lists.extend(
                        settings.untagged.map(|vlan| (VlanSet::from(vlan.value), vlan.span)),
                    );
                }
            }
        }
    }
    lists.retain(|(vlans, _)| !vlans.is_empty());
    lists
}

/// The presences of a segment that have its gateway, and of what kind it is there.
pub(super) fn gateways(fabric: &Fabric, segment: SegmentId) -> Vec<(PresenceId, GatewayKind)> {
    let presences = fabric.segment(segment).presences.iter();
    presences
        .filter(|&presence| is_gateway(fabric, presence))
        .map(|presence| (presence, fabric.settings_at(presence).gateway_kind.value))
        .collect()
}

/// The ports that carry some VLANs for nothing, of one leaf or of all.
type Carried = BTreeMap<(Option<DeviceId>, Vec<VlanId>), Vec<(Span, DeviceId)>>;

/// Reports the VLANs that ports of a VTEP, or of another switch with segments, carry and that the switch does not have: those that some segment
/// has elsewhere, or those that none has.
fn report_carried_for_nothing(cx: &Context<'_>, out: &mut Findings<'_>, elsewhere: bool) {
    let fabric = cx.fabric;
    let anywhere: VlanSet = fabric
        .presences()
        .filter_map(|(_, presence)| presence.vlan)
        .map(|vlan| vlan.value)
        .collect();
    // What is carried for nothing in many places is told once: of a segment once a leaf.
    let mut groups: Carried = BTreeMap::new();
    let gateways: FxHashSet<(DeviceId, VlanId)> = fabric
        .segments()
        .flat_map(|(_, segment)| {
            let vlan = segment.vlan.map(|vlan| vlan.value);
            segment.gateway_on.iter().filter_map(move |&switch| Some((switch, vlan?)))
        })
        .collect();
    // Where a routed link is told to carry VLANs, or two segments share one, the rest follows from that.
    let routed: FxHashSet<Span> = super::port::carried_over_routed(cx).collect();
    for (device, _) in fabric.devices() {
        let Some(here) = fabric.vlans_of[device].as_ref() else { continue };
        if !elsewhere && shares_vlan(fabric, device) {
            continue;
        }
        for (vlans, span) in carried(fabric, device) {
            if routed.contains(&span) {
                continue;
            }
            let lacking: Vec<VlanId> = vlans
                .without(here)
                .iter()
                .filter(|&vlan| anywhere.contains(vlan) == elsewhere)
                .collect();
            // A segment that the switch has under another VLAN drifts: that is told.
            let drifts = |vlan: &VlanId| {
                fabric.presences_on(device).iter().any(|&own| {
                    let segment = fabric.segment(fabric.presence(own).segment);
                    segment.vlan.is_some_and(|usual| usual.value == *vlan)
                })
            };
            // One whose gateway is to be here is missed as that.
            let told = |vlan: &VlanId| drifts(vlan) || gateways.contains(&(device, *vlan));
            let lacking: Vec<VlanId> = lacking.into_iter().filter(|vlan| !told(vlan)).collect();
            if !lacking.is_empty() {
                let key = (elsewhere.then_some(device), lacking);
                groups.entry(key).or_default().push((span, device));
            }
        }
    }
    for ((_, vlans), places) in groups {
        let (span, device) = places[0];
        let more = match places.len() {
            1 => String::new(),
            count => format!(", and on {} more", count - 1),
        };
        let name = fabric.device_name(device);
        let list: VlanSet = vlans.iter().copied().collect();
        let has_it =
            |presence: &Presence| presence.vlan.is_some_and(|vlan| vlans.contains(&vlan.value));
        // A VLAN id is used for several segments of a large fabric: that of the other side is meant.
        let other = fabric.device(device).pair.map(|(pair, side)| {
            let other = fabric.pair(pair).sides[1 - side].switch.value;
            fabric.presences_on(other).iter().map(|&id| fabric.presence(id))
        });
        let anywhere = fabric.presences().map(|(_, presence)| presence);
        let segment = other.into_iter().flatten().chain(anywhere).find(|presence| has_it(presence));
        let segment = segment.map(|presence| &fabric.segment(presence.segment).name);
        let draft = out
            .report(
                span,
                format!("carries VLAN {list}"),
                match segment {
                    Some(segment) => format!(
                        "{name} carries VLAN {list} on a port{more}, but does not have the \
                         segment {}",
                        segment.value
                    ),
                    None => {
                        format!("{name} carries VLAN {list} on a port{more}, but no segment has it")
                    }
                },
            )
            .related(
                segment.map_or(fabric.device(device).name.span, |segment| segment.span),
                segment.map_or_else(
                    || format!("{name} has no such VLAN"),
                    |segment| format!("{} is on other switches", segment.value),
                ),
            )
            .wire(format!(
                "{name} drops frames of VLAN {list}: hosts behind the port reach nobody in it"
            ))
            .remedy(match elsewhere {
                true => "put the segment on the leaf (`on`), or take the VLAN off the port",
                false => "add a [[segment]] of that VLAN, or take it off the port",
            })
            .about(device);
        if let Some(segment) = segment {
            draft.about_name(segment);
        }
    }
}
