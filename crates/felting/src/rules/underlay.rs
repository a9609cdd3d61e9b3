//! Faults of the underlay: addresses, neighbors, sessions over links, and what is advertised.

/// A spine and two leaves with a link each, for examples.
macro_rules! routed {
    ($more:literal) => {
        concat!(
            r#"
[[switch]]
name = "crest-1"
number = 1
role = "spine"
ports = "et[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = "et[49-52] 100G"

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[cabling]
runs = "kelp-[a-b] et49 -- crest-1 et[1-2]"
"#,
            $more
        )
    };
}

mod address_reused;
mod area_clash;
mod as_clash;
mod as_reused;
mod authentication_clash;
mod bfd_one_sided;
mod island;
mod leaf_partial;
mod loopback_not_advertised;
mod loopback_not_host_prefix;
mod mtu_clash;
mod mtu_too_small;
mod network_type_clash;
mod oversubscribed;
mod paths_limited;
mod policy_missing;
mod pool_exhausted;
mod pool_overlap;
mod protocol_clash;
mod router_id_reused;
mod session_one_sided;
mod subnet_clash;
mod tag_clash;
mod timer_clash;
mod uplink_speed_mix;

use std::collections::BTreeMap;

use rustc_hash::FxHashMap;

use super::{Context, Findings, Rule};
use crate::behavior::{Aspect, Entity};
use crate::fabric::{DeviceId, Fabric, InterfaceId, PortId, SessionId};
use crate::source::Span;
use crate::value::Role;

pub(super) static RULES: &[&Rule] = &[
    &pool_overlap::RULE,
    &pool_exhausted::RULE,
    &address_reused::RULE,
    &subnet_clash::RULE,
    &tag_clash::RULE,
    &router_id_reused::RULE,
    &loopback_not_host_prefix::RULE,
    &loopback_not_advertised::RULE,
    &protocol_clash::RULE,
    &area_clash::RULE,
    &network_type_clash::RULE,
    &timer_clash::RULE,
    &mtu_clash::RULE,
    &authentication_clash::RULE,
    &bfd_one_sided::RULE,
    &as_clash::RULE,
    &session_one_sided::RULE,
    &as_reused::RULE,
    &policy_missing::RULE,
    &paths_limited::RULE,
    &leaf_partial::RULE,
    &uplink_speed_mix::RULE,
    &oversubscribed::RULE,
    &mtu_too_small::RULE,
    &island::RULE,
];

/// The interfaces that a rule's causes are about.
fn clashes(cx: &Context<'_>, rule: &str) -> Vec<(InterfaceId, InterfaceId)> {
    let causes = cx.state.causes().of(rule);
    let ends = causes.filter_map(|cause| match (cause.entity, cause.other) {
        (Entity::Interface(near), Some(Entity::Interface(far))) => Some((near, far)),
        _ => None,
    });
    ends.collect()
}

/// The two ends of sessions that a rule's causes are about.
pub(super) fn session_clashes(cx: &Context<'_>, rule: &str) -> Vec<(SessionId, SessionId)> {
    let causes = cx.state.causes().of(rule);
    let ends = causes.filter_map(|cause| match (cause.entity, cause.other) {
        (Entity::Session(near), Some(Entity::Session(far))) => Some((near, far)),
        _ => None,
    });
    ends.collect()
}

/// One end of what clashes: what it is of, where it is written, and what stands there.
struct End {
    device: DeviceId,
    span: Span,
    text: String,
}

/// Reports what two ends disagree about.
fn report_ends(
    out: &mut Findings<'_>,
    [one, other]: [End; 2],
    message: impl Into<String>,
    wire: impl Into<String>,
    remedy: impl Into<String>,
) {
    // Of a deviation and what it deviates from, the deviation is written later.
    let ends = if one.span < other.span { [other, one] } else { [one, other] };
    report_in_order(out, ends, message, wire, remedy);
}

/// Reports what two ends disagree about, the one at fault first.
fn report_in_order(
    out: &mut Findings<'_>,
    [one, other]: [End; 2],
    message: impl Into<String>,
    wire: impl Into<String>,
    remedy: impl Into<String>,
) {
    out.report(one.span, one.text, message)
        .related(other.span, other.text)
        .wire(wire)
        .remedy(remedy)
        .about(one.device)
        .about(other.device);
}

/// Reports the interfaces that a rule's causes are about. What is written once is reported once, however
/// many links it is wrong on.
fn report_clashes(
    cx: &Context<'_>,
    out: &mut Findings<'_>,
    rule: &str,
    ends: impl Fn(InterfaceId, InterfaceId) -> [End; 2],
    what: &str,
    wire: &str,
    remedy: &str,
) {
    let clashes: Vec<_> =
        clashes(cx, rule).into_iter().map(|(near, far)| (near, far, ends(near, far))).collect();
    let mut on: FxHashMap<(DeviceId, Span), usize> = FxHashMap::default();
    for end in clashes.iter().flat_map(|(.., ends)| ends) {
        *on.entry((end.device, end.span)).or_default() += 1;
    }
    let mut groups: BTreeMap<(Span, DeviceId), Vec<_>> = BTreeMap::new();
    for (near, far, ends) in clashes {
        let [one, other] = ends;
        let ends = if deviates(cx, &on, &one, &other) { [one, other] } else { [other, one] };
        groups.entry((ends[0].span, ends[0].device)).or_default().push((near, far, ends));
    }
    for ((_, device), mut links) in groups {
        let count = links.len() - 1;
        let (near, far, [one, other]) = links.swap_remove(0);
        let more = match count {
            0 => String::new(),
            1 => format!(", and one more link of {}", cx.fabric.device_name(device)),
            _ => format!(", and {count} more links of {}", cx.fabric.device_name(device)),
        };
        report_in_order(
            out,
            [one, other],
            format!("{what}: {}{more}", both(cx.fabric, near, far)),
            wire,
            remedy,
        );
    }
}

/// Whether it is the one end, not the other, that says what nobody else does: what it says is wrong on a
/// larger part of its links. Where each is wrong on one link, the deviation is the later in the file.
fn deviates(
    cx: &Context<'_>,
    on: &FxHashMap<(DeviceId, Span), usize>,
    one: &End,
    other: &End,
) -> bool {
    let wrong = |end: &End| on[&(end.device, end.span)];
    if wrong(one) == 1 && wrong(other) == 1 {
        return one.span > other.span;
    }
    let links =
        |end: &End| cx.fabric.router_of(end.device).map_or(0, |router| router.interfaces.len());
    // wrong(one) / links(one) against wrong(other) / links(other)
    let (one_part, other_part) = (wrong(one) * links(other), wrong(other) * links(one));
    (one_part, one.span) > (other_part, other.span)
}

/// "kelp-a et49 and crest-1 et1"
fn both(fabric: &Fabric, near: InterfaceId, far: InterfaceId) -> String {
    format!("{} and {}", fabric.interface_label(near), fabric.interface_label(far))
}

/// Whether another cause has claimed what two interfaces are to each other.
fn claimed(cx: &Context<'_>, interface: InterfaceId) -> bool {
    cx.state.causes().claimed(Entity::Interface(interface), Aspect::Neighbor).is_some()
}

/// The tier of a switch: leaves below spines below super-spines; none of other roles.
pub(super) fn tier(fabric: &Fabric, device: DeviceId) -> Option<u8> {
    match fabric.device(device).role?.value {
        Role::Leaf | Role::Border => Some(1),
        Role::Spine => Some(2),
        Role::SuperSpine => Some(3),
        Role::Access | Role::Router => None,
    }
}

/// The ports of a switch that are cabled to switches of the tier above, with those switches.
pub(super) fn uplinks(fabric: &Fabric, device: DeviceId) -> Vec<(PortId, DeviceId)> {
    let Some(own) = tier(fabric, device) else { return Vec::new() };
    let ports = fabric.device(device).ports.iter();
    let up = ports.filter_map(|port| {
        let (_, far) = fabric.link(port)?;
        let there = fabric.port(far).device;
        (tier(fabric, there)? > own).then_some((port, there))
    });
    up.collect()
}
