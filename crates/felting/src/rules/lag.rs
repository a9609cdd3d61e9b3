//! Faults between the two ends of a LAG.

mod address_clash;
mod key_reused;
mod layer_clash;
mod member_clash;
mod member_settings_clash;
mod member_shared;
mod member_uncabled;
mod min_members;
mod min_members_single;
mod mode_deadlock;
mod one_sided;
mod over_strangers;
mod partner_split;
mod port_order;
mod proprietary;
mod protocol_clash;
mod standby;
mod static_blind;
mod timeout_clash;
mod too_many_members;
mod uncabled;
mod unsupported;
mod untagged_clash;
mod vlan_clash;

use super::{Check, Context};
use crate::behaviour::{BridgePortId, Carrier, Entity, MemberState, PortRole};
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, DeviceKind, Fabric, LagId, PortId};
use crate::value::{Protocol, Unanswered};

pub(super) static RULES: &[&Check] = &[
    &unsupported::RULE,
    &too_many_members::RULE,
    &uncabled::RULE,
    &member_uncabled::RULE,
    &member_clash::RULE,
    &member_shared::RULE,
    &partner_split::RULE,
    &over_strangers::RULE,
    &one_sided::RULE,
    &protocol_clash::RULE,
    &mode_deadlock::RULE,
    &layer_clash::RULE,
    &key_reused::RULE,
    &vlan_clash::RULE,
    &untagged_clash::RULE,
    &address_clash::RULE,
    &member_settings_clash::RULE,
    &min_members::RULE,
    &min_members_single::RULE,
    &timeout_clash::RULE,
    &static_blind::RULE,
    &proprietary::RULE,
    &standby::RULE,
    &port_order::RULE,
];

/// The other LAGs of the Ethernet segment that a LAG is in.
fn legs(fabric: &Fabric, id: LagId) -> impl Iterator<Item = LagId> {
    let segment = fabric.lag(id).segment.map(|segment| fabric.ethernet_segment(segment));
    segment.into_iter().flat_map(|segment| &segment.legs).copied().filter(move |&leg| leg != id)
}

/// The LAGs at both ends of what a rule's causes are about.
fn two_ends(cx: &Context<'_>, rule: &str) -> Vec<[LagId; 2]> {
    let causes = cx.state.causes().of(rule);
    let ends = causes.filter_map(|cause| match (cause.entity, cause.other) {
        (Entity::Lag(one), Some(Entity::Lag(other))) => Some([one, other]),
        _ => None,
    });
    ends.collect()
}

/// "the LAG hull-01 of kelp-a", "the bond bond0 of hull-01", "LAG group 101 of the pair kelp".
pub(super) fn name(fabric: &Fabric, id: LagId) -> String {
    let lag = fabric.lag(id);
    if let Some(group) = lag.group {
        let group = fabric.group(group);
        return format!(
            "LAG group {} of the pair {}",
            group.number,
            fabric.pair(group.pair).name.value
        );
    }
    half_name(fabric, id)
}

/// Like [`name`], of one half of a group too.
pub(super) fn half_name(fabric: &Fabric, id: LagId) -> String {
    let lag = fabric.lag(id);
    let device = fabric.device(lag.device);
    let what = if device.kind == DeviceKind::Host { "bond" } else { "LAG" };
    format!("the {what} {} of {}", lag.name.value, device.name.value)
}

/// The LAG and, in a group, its other half.
pub(super) fn halves(fabric: &Fabric, lag: LagId) -> Vec<LagId> {
    match fabric.lag(lag).group {
        Some(group) => fabric.group(group).halves.into_iter().flatten().collect(),
        None => vec![lag],
    }
}

/// The linked members of a LAG and of its other half: the place of each, its port, the far port.
pub(super) fn links(cx: &Context<'_>, lag: LagId) -> Vec<(Span, PortId, PortId)> {
    let members =
        halves(cx.fabric, lag).into_iter().flat_map(|half| cx.fabric.lag(half).members.iter());
    members
        .filter_map(|id| {
            let port = cx.fabric.member(id).port;
            Some((port.span, port.value, cx.state.member(id).far?))
        })
        .collect()
}

/// The devices that the linked members of a LAG and of its other half lead to, each once.
pub(super) fn neighbours(cx: &Context<'_>, lag: LagId) -> Vec<DeviceId> {
    let far = links(cx, lag).into_iter().map(|(_, _, far)| cx.fabric.port(far).device);
    let mut found: Vec<DeviceId> = far.collect();
    found.sort_unstable();
    found.dedup();
    found
}

/// The place where a cable names a port.
pub(super) fn plug(fabric: &Fabric, port: PortId) -> Option<Span> {
    let (cable, far) = fabric.link(port)?;
    let ends = &fabric.cable(cable).ends;
    let near = if ends[1].value == far { ends[0] } else { ends[1] };
    Some(near.span)
}

/// Where the part of a LAG's LACP identity is written that is not the same as another's: system address,
/// system priority, or key.
pub(super) fn identity_place(cx: &Context<'_>, lag: LagId, other: LagId) -> Option<Span> {
    let (one, two) = (cx.state.lag(lag).system?, cx.state.lag(other).system?);
    let lag = cx.fabric.lag(lag);
    match (one.mac == two.mac, one.priority == two.priority) {
        (false, _) => lag.system.map(|system| system.span),
        (true, false) => lag.system_priority.map(|priority| priority.span),
        (true, true) => lag.key.map(|key| key.span),
    }
}

/// The members of an end that stand alone as nobody answers them, and forward.
pub(super) fn alone(cx: &Context<'_>, lag: LagId) -> Vec<PortId> {
    let members = cx.fabric.lag(lag).members.iter();
    let alone = members.filter(|&id| cx.state.member(id).state == MemberState::Individual);
    alone.map(|id| cx.fabric.member(id).port.value).collect()
}

/// What the members of an end do that nobody answers.
pub(super) fn left_alone(cx: &Context<'_>, lag: LagId) -> String {
    let (fabric, settings) = (cx.fabric, cx.fabric.lag(lag));
    let device = fabric.device_name(settings.device);
    let closed = |id| cx.state.member(id).state == MemberState::Closed;
    let many = settings.members.len() > 1;
    if settings.protocol.value == Protocol::Static {
        return match many {
            true => format!("{device} notices nothing and spreads frames over all members"),
            false => format!("{device} notices nothing and sends by its member"),
        };
    }
    let ports = alone(cx, lag);
    if ports.is_empty() && !settings.members.iter().any(closed) {
        return format!("{device} notices nothing");
    }
    let is_routed = settings.tagged.is_empty() && settings.untagged.is_none();
    if is_routed && !settings.addresses.is_empty() {
        return format!("{device} has no member in use, so the routed LAG is down there");
    }
    match (settings.unanswered.value, &ports[..]) {
        (Unanswered::Closed, _) => format!("{device} forwards nothing over its members"),
        (Unanswered::One, _) => format!("{device} uses a single member"),
        (Unanswered::Individual, [one]) => format!(
            "{device} uses {} as a port of its own (IEEE 802.1AX 6.4.12)",
            fabric.port_name(*one)
        ),
        (Unanswered::Individual, _) => {
            let each =
                format!("{device} uses each member as a port of its own (IEEE 802.1AX 6.4.12)");
            // Only what bridges sends a frame back.
            let bridges = |device: DeviceId| fabric.device(device).kind == DeviceKind::Switch;
            let beyond = ports.iter().filter_map(|&port| cx.state.far(port));
            let mut both = beyond.map(|far| fabric.port(far).device).chain([settings.device]);
            match open(cx, lag, &ports).filter(|_| both.all(bridges)) {
                None => each,
                _ if loops(cx, &ports) => format!(
                    "{each}, and no spanning tree opens the loop that they make: a broadcast goes round for ever"
                ),
                Some(0..=1) => format!("{each}, and its spanning tree leaves one of them open"),
                Some(_) => format!("{each}, so frames may come back to it by another member"),
            }
        }
    }
}

/// Of how many members that stand alone the tree lets frames pass in one VLAN, at most; none if there is no VLAN.
fn open(cx: &Context<'_>, lag: LagId, ports: &[PortId]) -> Option<usize> {
    let settings = cx.fabric.lag(lag);
    let shut = |role| matches!(role, PortRole::Alternate | PortRole::Backup | PortRole::Disabled);
    let passes = |port: PortId, vlan| !cx.state.trees().role_at(port, vlan).is_some_and(shut);
    let vlans = settings.tagged.iter().chain(settings.untagged.map(|vlan| vlan.value));
    let open = vlans.map(|vlan| ports.iter().filter(|&&port| passes(port, vlan)).count());
    open.max()
}

/// The rules that tell what members do that stand alone, and so of loops that they make.
pub(super) const TELLS_OF_LOOPS: &[&str] =
    &["lag-mode-deadlock", "lag-protocol-clash", "lag-one-sided"];

/// Whether members that stand alone make a loop that no spanning tree opens.
fn loops(cx: &Context<'_>, ports: &[PortId]) -> bool {
    let trees = cx.state.trees();
    trees.loops().iter().any(|found| {
        let own = |port: &&BridgePortId| match trees.port(**port).carrier {
            Carrier::Port(port) => ports.contains(&port),
            _ => false,
        };
        found.ports.iter().filter(own).count() > 1
    })
}

/// What the members of both ends do that nobody answers.
pub(super) fn both_left_alone(cx: &Context<'_>, one: LagId, other: LagId) -> String {
    let device = |lag: LagId| cx.fabric.device_name(cx.fabric.lag(lag).device);
    let (a, b) = (left_alone(cx, one), left_alone(cx, other));
    match (a.strip_prefix(device(one)), b.strip_prefix(device(other))) {
        (Some(does), Some(too)) if does == too => {
            format!("{} as well as {}{does}", device(one), device(other))
        }
        _ => format!("{a}; {b}"),
    }
}

/// A small number as a word.
pub(super) fn count_word(count: usize) -> String {
    match count {
        2 => "two".to_owned(),
        3 => "three".to_owned(),
        4 => "four".to_owned(),
        many => many.to_string(),
    }
}

/// What follows where a LAG end has several partners.
pub(super) fn split_wire(protocol: Protocol) -> &'static str {
    match protocol {
        Protocol::Static => {
            "nothing is negotiated, so frames are spread over all of them; answers come back by a \
             path that the far switches don't know of, and their MAC tables flap"
        }
        _ => "only the members to one of them are used; the others are left out of the LAG",
    }
}

/// The LAGs none of whose members has a cable, in order.
pub(super) fn without_cables(fabric: &Fabric) -> impl Iterator<Item = LagId> + '_ {
    fabric.lags().filter_map(|(id, lag)| {
        let mut ports = lag.members.iter().map(|member| fabric.member(member).port.value);
        let bare = !lag.members.is_empty() && ports.all(|port| fabric.link(port).is_none());
        bare.then_some(id)
    })
}

/// The LAGs without cables that cables which are in another's port may be meant for: there are no more such members than
/// such cables.
pub(super) fn meant_for_replugged(fabric: &Fabric) -> Vec<LagId> {
    if fabric.replugged.is_empty() {
        return Vec::new();
    }
    let all: Vec<LagId> = without_cables(fabric).collect();
    let members: usize = all.iter().map(|&id| fabric.lag(id).members.len()).sum();
    if members <= fabric.replugged.len() { all } else { Vec::new() }
}
