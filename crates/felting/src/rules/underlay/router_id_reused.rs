use std::net::{IpAddr, Ipv4Addr};

use rustc_hash::FxHashMap;

use crate::diagnostic::Span;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::UnderlayProtocol;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-router-id-reused",
        severity: Severity::Error,
        summary: "two routers have one router id",
        explain: "The router id names a router to the others. Two of one id overwrite each other's \
              description of their links again and again, BGP speakers close the session with a \
              peer of their own id, and what a reflector passes on is dropped as one's own.",
        sources: &["RFC 2328 section 10.5", "RFC 4271 section 6.2", "RFC 6286"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]

[[router]]
on = "kelp-a"
router_id = "10.64.8.31"

[[router]]
on = "kelp-b"
router_id = "10.64.8.31"
"#
        ),
        mend: &[(
            "on = \"kelp-b\"\nrouter_id = \"10.64.8.31\"",
            "on = \"kelp-b\"\nrouter_id = \"10.64.8.32\"",
        )],
    },
    check,
};

/// What comes of one router id for two.
enum Clash {
    /// Of OSPF, which tells routers apart by it (RFC 2328 section 3.1).
    Links,
    /// Of iBGP, which takes it for the originator (RFC 4456 section 8).
    Routes,
    /// It is to be unique within an AS alone (RFC 6286 section 2.1).
    Nothing,
}

fn clash(cx: &Context<'_>, one: DeviceId, other: DeviceId) -> Clash {
    let fabric = cx.fabric;
    let ospf = |device: DeviceId| {
        let mut interfaces = fabric.router_of(device).into_iter().flat_map(|r| r.interfaces.iter());
        interfaces.any(|id| fabric.interface(id).protocol.value == UnderlayProtocol::Ospf)
    };
    let asn = |device: DeviceId| fabric.router_of(device)?.as_number.map(|asn| asn.value);
    let speaks = |device: DeviceId| {
        let mut sessions = fabric.router_of(device).into_iter().flat_map(|r| r.sessions.iter());
        sessions.any(|id| cx.state.bgp().session(id).is_up())
    };
    match () {
        () if ospf(one) && ospf(other) => Clash::Links,
        () if asn(one).is_some() && asn(one) != asn(other) => Clash::Nothing,
        () if speaks(one) && speaks(other) => Clash::Routes,
        () => Clash::Links,
    }
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut first: FxHashMap<Ipv4Addr, (DeviceId, Span)> = FxHashMap::default();
    for (_, router) in fabric.routers() {
        let Some(id) = router.router_id else { continue };
        let &mut (owner, place) = first.entry(id.value).or_insert((router.device, id.span));
        // Two loopbacks of one address are told as that.
        let addressed = |device| {
            fabric
                .router_of(device)
                .is_some_and(|r| r.loopbacks.iter().any(|l| l.address() == IpAddr::V4(id.value)))
        };
        if owner == router.device
            || fabric.same_number(owner, router.device)
            || (addressed(owner) && addressed(router.device))
        {
            continue;
        }
        let (name, other) = (fabric.device_name(router.device), fabric.device_name(owner));
        let (severity, wire) = match clash(cx, router.device, owner) {
            Clash::Links => (
                Severity::Error,
                "each overwrites what the other says of its links: routes come and go, and none of the \
                 two is reached reliably"
                    .to_owned(),
            ),
            Clash::Routes => (
                Severity::Error,
                format!(
                    "{name} takes what a reflector passes on of {other} for its own, come back, and \
                     drops it, and the other way round"
                ),
            ),
            Clash::Nothing => (
                Severity::Warning,
                "they are of different AS numbers, so nothing is dropped; who reads tables by router \
                 id takes one for the other"
                    .to_owned(),
            ),
        };
        out.report(
            id.span,
            format!("router id of {name}"),
            format!("{name} and {other} have one router id, {}", id.value),
        )
        .related(place, format!("router id of {other}"))
        .severity(severity)
        .wire(wire)
        .remedy(
            "give each its own, or leave it out: it is then the loopback\u{2019}s \
             address"
                .to_owned(),
        )
        .about(router.device)
        .about(owner);
    }
}
