use crate::behaviour::{Aspect, Entity, KeepaliveFault, KeepalivePath};
use crate::fabric::Pair;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-keepalive-unreachable",
        severity: Severity::Warning,
        summary: "no path for a keepalive",
        explain: "A keepalive goes over the management network or over a routed link between the sides. \
              If a side does not have the address that it sends from, if the other side does not have \
              the one that it sends to, or if nothing joins the two, it never arrives, and the pair is \
              as good as without one.",
        sources: &["trade practice of multi-chassis LAGs: no standard"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
number = 11
ports = "p[1-4] 100G"

[[management]]
name = "yard"
subnet = "192.0.2.0/24"
on = "kelp-a"

[[pair]]
name = "kelp"
domain = 11
peer_link = "peer"
[[pair.side]]
switch = "kelp-a"
keepalive = { from = "192.0.2.11", to = "192.0.2.12" }
[[pair.side]]
switch = "kelp-b"
keepalive = { from = "192.0.2.12", to = "192.0.2.11" }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[1-2]"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("on = \"kelp-a\"", "on = \"kelp-*\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    for (id, pair) in cx.fabric.pairs() {
        let [Some(a), Some(b)] = pair.sides.each_ref().map(|side| side.keepalive.as_ref()) else {
            continue;
        };
        // Addresses that don't mirror each other are the fault that comes first.
        if a.from.value != b.to.value || a.to.value != b.from.value {
            continue;
        }
        let paths = cx.state.pair(id).keepalive;
        let broken = (0..2).find_map(|side| match paths[side] {
            KeepalivePath::Broken(fault) => Some((side, fault)),
            _ => None,
        });
        if let Some((side, fault)) = broken.filter(|&(_, fault)| !is_told(cx, fault)) {
            report(cx, pair, side, fault, out);
        }
    }
}

/// Whether the link is down for a reason that is told as a finding of its own.
fn is_told(cx: &Context<'_>, fault: KeepaliveFault) -> bool {
    let KeepaliveFault::LinkDown(port) = fault else { return false };
    let (fabric, causes) = (cx.fabric, cx.state.causes());
    let cable = fabric.link(port).map(|(cable, _)| Entity::Cable(cable));
    causes.claimed(Entity::Port(port), Aspect::Link).is_some()
        || cable.is_some_and(|cable| causes.claimed(cable, Aspect::Speed).is_some())
}

fn report(
    cx: &Context<'_>,
    pair: &Pair,
    side: usize,
    fault: KeepaliveFault,
    out: &mut Findings<'_>,
) {
    let fabric = cx.fabric;
    let Some(keepalive) = &pair.sides[side].keepalive else { return };
    let device = |side: usize| fabric.device_name(pair.sides[side].switch.value);
    let (own, other) = (device(side), device(1 - side));
    let (from, to) = (keepalive.from, keepalive.to);
    let network = |id| fabric.management_network(id);
    let (at, why, place, text) = match fault {
        KeepaliveFault::Itself => (
            to.span,
            format!("{other} and {own} both have it"),
            pair.name.span,
            "each side sends to an address of its own".to_owned(),
        ),
        KeepaliveFault::NotOwn => (
            from.span,
            format!("{own} has no such address"),
            pair.sides[side].switch.span,
            format!("{own} is in no management network with it, nor has a port that has it"),
        ),
        KeepaliveFault::NotTheirs => (
            to.span,
            format!("{other} has no such address"),
            pair.sides[1 - side].switch.span,
            format!("{other} is in no management network with it, nor has a port that has it"),
        ),
        KeepaliveFault::Apart(near, far) => (
            to.span,
            format!("in the network {}", network(far).name.value),
            network(near).name.span,
            format!("{own} is in {}, and no router joins the two", network(near).name.value),
        ),
        KeepaliveFault::OtherVrf(near) => (
            keepalive.vrf.as_ref().map_or(from.span, |vrf| vrf.span),
            "looked up here".to_owned(),
            network(near).name.span,
            match &network(near).vrf {
                Some(vrf) => format!("{} is in the VRF {}", from.value, vrf.value),
                None => format!("{} is in no VRF", from.value),
            },
        ),
        KeepaliveFault::LinkDown(port) => (
            from.span,
            format!("on {}", fabric.port_label(port)),
            fabric.port(port).span.0,
            "the port has no link to the other side".to_owned(),
        ),
        KeepaliveFault::NoRoute => (
            from.span,
            format!("no routed link leads from {own} to {other}"),
            pair.sides[side].switch.span,
            format!("{own} has no way to {}", to.value),
        ),
        KeepaliveFault::Down => return,
    };
    let why_short = why.clone();
    out.report(
        at,
        why,
        format!(
            "the keepalive of the pair {} from {own} ({}) to {other} ({}) has no path: {why_short}",
            pair.name.value, from.value, to.value
        ),
    )
    .related(place, text)
    .wire("the keepalive never arrives: when the peer link fails, both sides carry on as primary")
    .remedy(match fault {
        KeepaliveFault::NoRoute => {
            "join the two by routed links beside the peer link, or send it over the management network"
        }
        _ => "correct the address, or put the switch into the management network that holds it",
    })
    .when_lost(format!("peer link of {}", pair.name.value))
    .about(pair.sides[0].switch.value)
    .about(pair.sides[1].switch.value);
}
