//! Faults of the underlay: addresses, neighbours, sessions over links, and what is advertised.

mod address_reused;
mod area_clash;
mod as_reused;
mod authentication_clash;
mod bfd_one_sided;
mod island;
mod leaf_partial;
mod loopback_missing;
mod loopback_not_host_prefix;
mod loopback_unadvertised;
mod mtu_clash;
mod mtu_too_small;
mod network_type_clash;
mod next_hop_unreachable;
mod oversubscribed;
mod paths_limited;
mod policy_blocks_vtep;
mod protocol_clash;
mod router_id_missing;
mod router_id_reused;
mod subnet_clash;
mod tag_clash;
mod timer_clash;
mod timer_impossible;
mod unnumbered_broadcast;
mod uplink_idle;
mod uplink_speed_mix;
mod vtep_unreachable;

use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::net::IpAddr;

use rustc_hash::FxHashMap;

use super::{Check, Context, Findings};
use crate::behaviour::{Aspect, Entity, LostWay, NotPassed};
use crate::diagnostic::{Span, some_of};
use crate::fabric::{DeviceId, Fabric, Interface, InterfaceId, PortId, RouterId, SessionId};
use crate::value::Role;

pub(super) static RULES: &[&Check] = &[
    &address_reused::RULE,
    &subnet_clash::RULE,
    &tag_clash::RULE,
    &router_id_reused::RULE,
    &router_id_missing::RULE,
    &loopback_missing::RULE,
    &loopback_not_host_prefix::RULE,
    &loopback_unadvertised::RULE,
    &protocol_clash::RULE,
    &area_clash::RULE,
    &network_type_clash::RULE,
    &timer_clash::RULE,
    &timer_impossible::RULE,
    &unnumbered_broadcast::RULE,
    &mtu_clash::RULE,
    &authentication_clash::RULE,
    &bfd_one_sided::RULE,
    &next_hop_unreachable::RULE,
    &as_reused::RULE,
    &paths_limited::RULE,
    &leaf_partial::RULE,
    &uplink_idle::RULE,
    &uplink_speed_mix::RULE,
    &oversubscribed::RULE,
    &mtu_too_small::RULE,
    &island::RULE,
    &policy_blocks_vtep::RULE,
    &vtep_unreachable::RULE,
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

/// One end of what clashes: what it is of, where it is written, and what stands there.
pub(super) struct End {
    pub(super) device: DeviceId,
    pub(super) span: Span,
    pub(super) text: String,
}

/// Reports what two ends disagree about.
pub(super) fn report_ends(
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
    let mut at: FxHashMap<Span, usize> = FxHashMap::default();
    for end in clashes.iter().flat_map(|(.., ends)| ends) {
        *on.entry((end.device, end.span)).or_default() += 1;
        *at.entry(end.span).or_default() += 1;
    }
    // A line that is right at most links is not at fault at some.
    let mut of_all: FxHashMap<Span, usize> = FxHashMap::default();
    if at.values().any(|&count| count > 1) {
        for (_, adjacency) in cx.state.underlay().adjacencies() {
            for end in ends(adjacency.near, adjacency.far) {
                *of_all.entry(end.span).or_default() += 1;
            }
        }
    }
    let is_wrong = |line: &End| {
        at[&line.span] > 1 && at[&line.span] * 2 > of_all.get(&line.span).copied().unwrap_or(0)
    };
    let mut groups: BTreeMap<(Span, Option<DeviceId>), Vec<_>> = BTreeMap::new();
    for (near, far, ends) in clashes {
        let [one, other] = ends;
        // What one line says of several switches clashes with something else at each of them.
        let (ends, of_line) = match at[&one.span].cmp(&at[&other.span]) {
            Ordering::Greater if is_wrong(&one) => ([one, other], true),
            Ordering::Less if is_wrong(&other) => ([other, one], true),
            _ if deviates(cx, &on, &one, &other) => ([one, other], false),
            _ => ([other, one], false),
        };
        let device = (!of_line).then_some(ends[0].device);
        groups.entry((ends[0].span, device)).or_default().push((near, far, ends));
    }
    for ((_, device), mut links) in groups {
        let count = links.len() - 1;
        let (near, far, [one, other]) = links.swap_remove(0);
        let of = device.map(|device| format!(" of {}", cx.fabric.device_name(device)));
        let of = of.unwrap_or_default();
        let more = match count {
            0 => String::new(),
            1 => format!(", and one more link{of}"),
            _ => format!(", and {count} more links{of}"),
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

/// Reports interfaces that are wrong by themselves, of those that a rule's causes are about: once for each
/// statement. `say` tells the label, the message, what happens and what to do.
fn report_wrong(
    cx: &Context<'_>,
    out: &mut Findings<'_>,
    rule: &str,
    is_wrong: impl Fn(&Interface) -> bool,
    span: impl Fn(&Interface) -> Span,
    say: impl Fn(&Interface, &str) -> (String, String, String, String),
) {
    let fabric = cx.fabric;
    let mut wrong: BTreeMap<Span, Vec<InterfaceId>> = BTreeMap::new();
    for id in clashes(cx, rule).into_iter().flat_map(|(near, far)| [near, far]) {
        let interface = fabric.interface(id);
        if is_wrong(interface) {
            wrong.entry(span(interface)).or_default().push(id);
        }
    }
    for (span, ids) in wrong {
        let interface = fabric.interface(ids[0]);
        let label = fabric.interface_label(ids[0]);
        let (text, message, wire, remedy) = say(interface, &label);
        let more = match ids.len() {
            1 => String::new(),
            2 => ", and so is one more end of a link".to_owned(),
            many => format!(", and so are {} more ends of links", many - 1),
        };
        let draft = out
            .report(span, text, format!("{message}{more}"))
            .related(interface.span.0, format!("{label} is one of them"))
            .wire(wire)
            .remedy(remedy);
        ids.iter().fold(draft, |draft, &id| draft.about(fabric.interface(id).device));
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

/// "kelp-a p49 and crest-1 p1"
fn both(fabric: &Fabric, near: InterfaceId, far: InterfaceId) -> String {
    format!("{} and {}", fabric.interface_label(near), fabric.interface_label(far))
}

/// Whether another cause has claimed what two interfaces are to each other.
fn claimed(cx: &Context<'_>, interface: InterfaceId) -> bool {
    cx.state.causes().claimed(Entity::Interface(interface), Aspect::Neighbour).is_some()
}

/// Where a way is lost, for people.
pub(super) struct Loss {
    /// The statement that loses it.
    pub(super) span: Span,
    /// What stands there.
    pub(super) label: String,
    /// Why, after a colon.
    pub(super) why: String,
    /// What to do.
    pub(super) remedy: String,
    /// The switches that it is about.
    pub(super) devices: Vec<DeviceId>,
}

/// What is to be said of where a router's way to an address is lost, if it is.
pub(super) fn loss(
    cx: &Context<'_>,
    from: RouterId,
    address: IpAddr,
    owner: DeviceId,
) -> Option<Loss> {
    let lost = cx.state.where_lost(from, address)?;
    // What is down is the reason, where it is the only one.
    if cx.whole().is_some_and(|whole| whole.where_lost(from, address).is_none()) {
        let fabric = cx.fabric;
        let (device, down) = (fabric.router(from).device, cx.state.condition().cuts(fabric));
        let names: Vec<&str> = down.iter().map(String::as_str).collect();
        let what = some_of(&names);
        return Some(Loss {
            span: fabric.device(owner).name.span,
            label: format!("no way leads to {} now", fabric.device_name(owner)),
            why: format!("the last way is down with {what}"),
            remedy: "cable another way, by other devices, or keep in mind what is lost with it"
                .to_owned(),
            devices: vec![device, owner],
        });
    }
    Some(lost_at(cx, lost, owner))
}

fn lost_at(cx: &Context<'_>, lost: LostWay, owner: DeviceId) -> Loss {
    let fabric = cx.fabric;
    let router = |id: RouterId| fabric.router(id);
    let name = |device: DeviceId| fabric.device_name(device);
    let written = |device: DeviceId| {
        let own = fabric.static_routes().iter().rev().find(|route| route.device == device);
        own.map(|route| route.to.span)
    };
    match lost {
        LostWay::NotPassed(session, why) => loss_at(cx, session, why),
        LostWay::Untold => Loss {
            span: fabric.router_of(owner).map_or(fabric.device(owner).name.span, |r| r.span.0),
            label: format!("{} does not tell of it", name(owner)),
            why: format!("{} does not advertise it", name(owner)),
            remedy: format!("let {} advertise it (`advertise`)", name(owner)),
            devices: vec![owner],
        },
        LostWay::Parted(at) => Loss {
            span: router(at).span.0,
            label: format!("{} is in another part", name(router(at).device)),
            why: format!(
                "{} and {} are in parts of the underlay that no adjacency joins",
                name(router(at).device),
                name(owner)
            ),
            remedy: "see `felting sheet adjacencies`; areas meet in the backbone alone, and that \
                     must hang together"
                .to_owned(),
            devices: vec![router(at).device, owner],
        },
        LostWay::Written(at) | LostWay::Unwritten(at) => {
            let device = router(at).device;
            Loss {
                span: written(device).unwrap_or(router(at).span.0),
                label: format!("no route of {} leads there", name(device)),
                why: format!("{} has no route there", name(device)),
                remedy: format!("add a [[route]] to it on {}", name(device)),
                devices: vec![device],
            }
        }
        LostWay::Circle(at, to) => {
            let device = router(at).device;
            let own = fabric.static_routes().iter().filter(|route| route.device == device);
            let route = own.rev().find(|route| route.to.value == to);
            Loss {
                span: route.map_or(router(at).span.0, |route| route.via.span),
                label: format!("{} sends what is for {to} this way", name(device)),
                why: format!("the static route of {} to {to} leads back", name(device)),
                remedy: format!(
                    "lead that route to a router that is nearer to {}, or take it out",
                    name(owner)
                ),
                devices: vec![device, owner],
            }
        }
    }
}

/// What is to be said of a session by which a route is not passed on.
pub(super) fn loss_at(cx: &Context<'_>, session: SessionId, why: NotPassed) -> Loss {
    let fabric = cx.fabric;
    let here = fabric.session(session);
    let (name, peer) = (fabric.device_name(here.device), fabric.device_name(here.peer));
    let twin = cx.state.bgp().session(session).twin.map(|twin| fabric.session(twin));
    let devices = vec![here.peer, here.device];
    let say = |span: Span, label: String, why: String, remedy: String| Loss {
        span,
        label,
        why,
        remedy,
        devices: devices.clone(),
    };
    match (why, twin) {
        (NotPassed::Exported(sent), _) => say(
            fabric.session(sent).export.first().map_or(fabric.session(sent).span.0, |p| p.span),
            format!("{peer} exports by this"),
            format!("a policy of {peer} does not let it out to {name}"),
            "permit it in that policy".to_owned(),
        ),
        (NotPassed::Imported, _) => say(
            here.import.first().map_or(here.span.0, |policy| policy.span),
            format!("{name} imports by this"),
            format!("a policy of {name} does not let it in from {peer}"),
            "permit it in that policy".to_owned(),
        ),
        (NotPassed::NotReflected, Some(twin)) => say(
            twin.client.span,
            format!("{name} is no client of {peer} here"),
            format!("{peer} has it over iBGP, and does not reflect it to {name}"),
            format!("make {name} a client of {peer}, or have a session with who has it"),
        ),
        (NotPassed::AsLoop, _) => say(
            here.span.0,
            format!("{name} drops it as a loop"),
            format!("the AS number of {name} is in its path"),
            "give those on the way AS numbers of their own".to_owned(),
        ),
        (NotPassed::OwnAgain | NotPassed::ClusterLoop, _) => say(
            fabric.router_of(here.device).map_or(here.span.0, |router| router.span.0),
            format!("{name} drops it as its own"),
            format!("{name} takes it for its own, come back from {peer}"),
            "give each speaker a router id, and each cluster an id, of its own".to_owned(),
        ),
        (NotPassed::NextHop | NotPassed::OwnNextHop, _) => say(
            here.span.0,
            format!("{name} has no way to the next hop"),
            format!("{name} has it from {peer}, and no way to its next hop"),
            format!(
                "let {peer} put itself in (`next_hop = \"rewritten\"`), or tell {name} of the \
                 subnet of the next hop"
            ),
        ),
        _ => say(
            here.span.0,
            format!("the session of {name} with {peer}"),
            format!("{peer} does not tell {name}"),
            format!("see `felting sheet sessions --of {name}`"),
        ),
    }
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
