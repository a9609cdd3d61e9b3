use std::collections::BTreeMap;

use smol_str::SmolStr;

use crate::behaviour::{NoWayOut, Trouble};
use crate::diagnostic::{Span, some_of};
use crate::fabric::{DeviceId, Fabric, InterfaceId, InterfacePlace, OutsideId, PortId};
use crate::rules::check::Draft;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-outside-unreachable",
        severity: Severity::Error,
        summary: "a switch is said to lead to a network outside, and does not get to the router there",
        explain: "A switch has and tells the routes of a network outside while it gets to the router that leads there: \
              by a routed interface in the VRF, with a cable to the router and an interface of the router at its other \
              end, or in a segment that both are in. A route whose next hop is not reached is not used.",
        sources: &["RFC 4271 section 9.1.2.1"],
        broken: concat!(
            part!(switches),
            part!(loopbacks),
            part!(vtep_addresses),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"

[[switch]]
name = "harbour-buoy"
role = "router"
ports = "p[1-4] 25G"

[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"

[[interface]]
on = "kelp-b"
port = "p8"
address = "10.80.0.0/31"
vrf = "tides"

[[interface]]
on = "harbour-buoy"
port = "p1"
address = "10.80.0.1/31"

[[outside]]
name = "campus"
vrf = "tides"
on = "kelp-b"
via = "harbour-buoy"
prefixes = "0.0.0.0/0"

[cabling]
runs = [
  "kelp-a p[49-50] -- crest-[1-2] p1",
  "kelp-b p[49-50] -- crest-[1-2] p2",
  "kelp-b p7 -- harbour-buoy p1",
]
"#
        ),
        mend: &[("kelp-b p7", "kelp-b p8")],
    },
    check,
};

/// A network outside, where what keeps switches from it is written, and what that is.
type Place = (OutsideId, Span, Kind);

/// The kinds of reasons that are told together.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Kind {
    Segment,
    Router,
    Interface,
    Cable,
    Elsewhere,
    Link,
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut found: BTreeMap<Place, Vec<(DeviceId, NoWayOut)>> = BTreeMap::new();
    for trouble in cx.state.without_way_out() {
        let Trouble::WayOut { outside, on } = trouble else { continue };
        // What keeps the link down, or its ends apart, is told as that.
        let told = cx.state.behind(trouble).is_some_and(|rule| rule != RULE.rule.id);
        let Err(why) = cx.state.leads_out(outside, on) else { continue };
        if told || is_told(cx, outside, on, why) {
            continue;
        }
        let (span, kind) = place(fabric, outside, on, why);
        found.entry((outside, span, kind)).or_default().push((on, why));
    }
    for ((outside, span, kind), all) in found {
        report(cx, outside, (span, kind), &all, out);
    }
}

/// Whether what keeps a switch from the router was told: what is down, or a segment that is parted before it.
fn is_told(cx: &Context<'_>, outside: OutsideId, on: DeviceId, why: NoWayOut) -> bool {
    let via = cx.fabric.outside(outside).via.map(|via| via.value);
    let router: Vec<DeviceId> = via.into_iter().collect();
    match why {
        NoWayOut::Off => true,
        NoWayOut::NotMet(_) => {
            cx.is_told(&["cable", "port", "lag", "stack", "tree", "pair", "switch"], &router)
                || cx.is_told(&["segment"], &[on])
        }
        _ => false,
    }
}

/// Where it is written, and of what kind it is.
fn place(fabric: &Fabric, outside: OutsideId, on: DeviceId, why: NoWayOut) -> (Span, Kind) {
    let made = fabric.outside(outside);
    let via = made.via.map_or(made.name.span, |via| via.span);
    let at = |id: InterfaceId| fabric.interface(id).span.0;
    match why {
        NoWayOut::NotInSegment => (made.segment.map_or(via, |segment| segment.span), Kind::Segment),
        NoWayOut::Off | NoWayOut::NotMet(_) => (via, Kind::Router),
        NoWayOut::NoInterface => match beside(fabric, outside, on) {
            Some(id) => (at(id), Kind::Interface),
            None => (via, Kind::Interface),
        },
        NoWayOut::NoCable(id) => (at(id), Kind::Cable),
        NoWayOut::Elsewhere(id) => (at(id), Kind::Elsewhere),
        NoWayOut::Down(id) | NoWayOut::NotTaken(id, _) => (at(id), Kind::Link),
    }
}

/// An interface of a switch that leads to the router, and is not in the VRF.
fn beside(fabric: &Fabric, outside: OutsideId, on: DeviceId) -> Option<InterfaceId> {
    let via = fabric.outside(outside).via?.value;
    let mut own = fabric.router_of(on)?.interfaces.iter();
    own.find(|&id| {
        let far = fabric.interface_far(id);
        far.is_some_and(|far| fabric.interface(far).device == via)
    })
}

fn report(
    cx: &Context<'_>,
    id: OutsideId,
    (span, kind): (Span, Kind),
    all: &[(DeviceId, NoWayOut)],
    out: &mut Findings<'_>,
) {
    let fabric = cx.fabric;
    let outside = fabric.outside(id);
    let Some(via) = outside.via else { return };
    let (name, vrf) = (&outside.name.value, &fabric.vrf(outside.vrf.value).name.value);
    let router = fabric.device_name(via.value);
    let names: Vec<&str> = all.iter().map(|&(on, _)| fabric.device_name(on)).collect();
    let who = some_of(&names);
    let is = if names.len() == 1 { "is" } else { "are" };
    let on = all[0].0;
    let (here, what, remedy) = texts(fabric, id, kind, all);
    let leading: Vec<&str> = outside
        .on
        .iter()
        .filter(|&&other| cx.state.way_out(id, other).is_some())
        .map(|&other| fabric.device_name(other))
        .collect();
    let elsewhere = outside
        .prefixes
        .iter()
        .filter_map(|prefix| fabric.sample(&prefix.value))
        .all(|sample| !cx.state.tenant_lookup(outside.vrf.value, on, sample).is_empty());
    let message = format!("{who} {is} said to lead to {name}, and {what}");
    let draft = match (leading.is_empty(), elsewhere) {
        (false, _) => out
            .report(span, here, message)
            .severity(Severity::Warning)
            .wire(format!("what is sent to {name} leaves by {} alone", some_of(&leading))),
        (true, true) => out
            .report(span, here, message)
            .severity(Severity::Warning)
            .wire(format!("what is sent to {name} goes where other routes of {vrf} lead")),
        (true, false) => out.report(span, here, message).wire(format!(
            "the VRF {vrf} has no route to {name} anywhere: what is sent there is dropped"
        )),
    };
    let draft = match span == via.span {
        true => draft,
        false => draft.related(via.span, format!("{router} leads to {name}")),
    };
    let draft = draft.remedy(remedy).about(via.value).about_name(vrf).about_name(name);
    all.iter().map(|&(on, _)| on).fold(draft, Draft::about);
}

/// What is written at the place, what keeps the switches from the router, and what to do.
fn texts(
    fabric: &Fabric,
    id: OutsideId,
    kind: Kind,
    all: &[(DeviceId, NoWayOut)],
) -> (String, String, String) {
    let outside = fabric.outside(id);
    let (name, vrf) = (&outside.name.value, &fabric.vrf(outside.vrf.value).name.value);
    let via = outside.via.map(|via| via.value);
    let router = via.map_or("", |via| fabric.device_name(via));
    let names: Vec<&str> = all.iter().map(|&(on, _)| fabric.device_name(on)).collect();
    let who = some_of(&names);
    let (is, does) = if names.len() == 1 { ("is", "does") } else { ("are", "do") };
    let (on, why) = all[0];
    let label = |interface: InterfaceId| match names[..] {
        [_] => fabric.interface_name(interface),
        _ => fabric.interface_label(interface),
    };
    let segment = outside.segment.map(|segment| &fabric.segment(segment.value).name.value);
    let segment = segment.map_or("", SmolStr::as_str);
    let near = all.iter().filter_map(|(_, why)| why.interface());
    let labels: Vec<String> = near.map(label).collect();
    let labels: Vec<&str> = labels.iter().map(String::as_str).collect();
    let beside_it = via.and_then(|via| port_to(fabric, on, via));
    let own = beside(fabric, id, on);
    match (kind, why) {
        (Kind::Segment, _) => (
            format!("{who} {does} not have it"),
            format!("{does} not have the segment {segment}, in which {router} is met"),
            format!("add {who} to the switches of {segment}, or take {who} out of `on` of {name}"),
        ),
        (Kind::Router, _) => (
            format!("not met by {who}"),
            format!("{does} not meet {router} in the segment {segment}"),
            format!(
                "cable {router} to a port that carries the segment's VLAN untagged, or with the tag of an [[interface]] \
                 of {router}"
            ),
        ),
        (Kind::Interface, _) => match own {
            Some(own) => (
                format!("{} is not in {vrf}", label(own)),
                format!("{does} not have the interface to {router} in the VRF {vrf}"),
                format!("write `vrf = \"{vrf}\"` at {}", label(own)),
            ),
            None => (
                format!("{who} {does} not have an interface in {vrf} to it"),
                format!("{does} not have an interface in the VRF {vrf} to {router}"),
                format!(
                    "add an [[interface]] with `vrf = \"{vrf}\"` for the port that leads to {router}, or take {who} \
                     out of `on` of {name}"
                ),
            ),
        },
        (_, NoWayOut::NoCable(own)) => (
            format!("no cable at {}", label(own)),
            format!("{is} to reach {router} by {}, without a cable", some_of(&labels)),
            match beside_it {
                Some(port) => format!(
                    "{port} leads to {router}: move the cable, or name that port at the [[interface]]"
                ),
                None => format!("add the cable to {router} to [cabling]"),
            },
        ),
        (_, NoWayOut::Elsewhere(own)) => (
            format!("{} does not lead to {router}", label(own)),
            match leads_to(fabric, own) {
                Some(other) => {
                    format!(
                        "{is} to reach {router} by {}, whose cable leads to {other}",
                        label(own)
                    )
                }
                None => format!("{is} to reach {router} by {}, which leads elsewhere", label(own)),
            },
            match beside_it {
                Some(port) => format!(
                    "{port} leads to {router}: move the cable, or name that port at the [[interface]]"
                ),
                None => "correct the cable, or name in `via` the router that is there".to_owned(),
            },
        ),
        (_, NoWayOut::NotTaken(own, far)) => (
            format!("{} sends there", label(own)),
            format!("{is} to reach {router} by {}, where {router} has no interface", label(own)),
            format!("add an [[interface]] on {router} for its port {}", fabric.port_name(far)),
        ),
        (_, _) => (
            format!("{who} {does} not get there"),
            format!("{does} not get to {router}: {}", why.words()),
            format!("see `felting sheet cables --of {}`", names[0]),
        ),
    }
}

/// The port of a switch whose cable leads to a router.
fn port_to(fabric: &Fabric, on: DeviceId, via: DeviceId) -> Option<&str> {
    let mut ports = fabric.device(on).ports.iter();
    let leads =
        |port: &PortId| fabric.link(*port).is_some_and(|(_, far)| fabric.port(far).device == via);
    ports.find(leads).map(|port| fabric.port_name(port))
}

/// The port to which an interface's cable leads.
fn leads_to(fabric: &Fabric, id: InterfaceId) -> Option<String> {
    match fabric.interface(id).place {
        InterfacePlace::Port(port) => fabric.link(port).map(|(_, far)| fabric.port_label(far)),
        _ => None,
    }
}
