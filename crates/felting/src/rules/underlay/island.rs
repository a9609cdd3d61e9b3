use std::collections::BTreeSet;
use std::net::IpAddr;

use super::claimed;
use crate::behaviour::{Aspect, Entity, State};
use crate::diagnostic::{At, some_of};
use crate::fabric::{CableId, DeviceId, PortId, RouterId};
use crate::rules::site::site_of;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{Advertised, SessionOver};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-island",
        severity: Severity::Error,
        summary: "a VTEP is reached by nobody",
        explain: "A tunnel goes to the VTEP's address by the underlay. Without a route to it all \
              that is behind it is cut off from the rest of its segments.",
        sources: &["RFC 7348 section 4", "RFC 8365 section 5"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]

[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[[segment]]
name = "tides-web"
vlan = 310
vni = 23310
on = "kelp-*"

[[router]]
on = ["crest-1", "kelp-*"]
as_number = 4204100000

[[session]]
on = "kelp-*"
to = "crest-1"

[[session]]
on = "crest-1"
to = "kelp-*"
client = true

[[port]]
on = "kelp-b"
ports = "p49"
enabled = false

[[port]]
on = "crest-1"
ports = "p2"
enabled = false
"#
        ),
        mend: &[("enabled = false", "enabled = true"), ("enabled = false", "enabled = true")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let vteps: Vec<(DeviceId, RouterId, At<IpAddr>)> = fabric
        .overlays()
        .filter_map(|(_, overlay)| {
            let router = fabric.device(overlay.device).router?;
            Some((overlay.device, router, overlay.vtep?))
        })
        .collect();
    let mut said: BTreeSet<IpAddr> = BTreeSet::new();
    for (device, _, address) in vteps.iter().filter(|(device, ..)| !cx.state.is_off(*device)) {
        let other = vteps.iter().find(|(_, _, known)| known.value != address.value);
        let Some((stranger, _, theirs)) = other else { continue };
        // What other sites reach is the WAN's business.
        let mut others = fabric
            .routers()
            .filter(|(_, router)| {
                router.device != *device
                    && site_of(fabric, router.device) == site_of(fabric, *device)
                    && fabric.vtep_of(router.device).is_none_or(|vtep| vtep.value != address.value)
            })
            .map(|(router, _)| router)
            .peekable();
        // Most addresses are known to the first one asked, so no more are looked for.
        if others.peek().is_none()
            || others.any(|from| cx.state.delivers(from, address.value).is_ok())
            || explained(cx, *device)
        {
            continue;
        }
        // What both sides of a pair have is told once.
        if !said.insert(address.value) {
            continue;
        }
        let (name, other) = (fabric.device_name(*device), fabric.device_name(*stranger));
        let router = fabric.device(*stranger).router;
        let reached = |whole: &State| {
            router.is_some_and(|router| whole.delivers(router, address.value).is_ok())
        };
        let remedy = match cx.whole().is_some_and(reached) {
            true => format!(
                "the last way is down with {}: cable another, by other devices, or keep in mind what is lost with it",
                some_of(
                    &cx.state
                        .condition()
                        .cuts(fabric)
                        .iter()
                        .map(String::as_str)
                        .collect::<Vec<_>>()
                )
            ),
            false => format!(
                "see `felting sheet adjacencies` for the links of {name}, and let its VTEP address be \
                 advertised"
            ),
        };
        out.report(
            address.span,
            format!("VTEP address of {name}"),
            format!("no other VTEP has a route to {name} ({})", address.value),
        )
        .related(
            if theirs.span == address.span {
                fabric.device(*stranger).name.span
            } else {
                theirs.span
            },
            format!("{other} has none, for one"),
        )
        .wire(format!("all that is behind {name} is cut off from the rest of its segments"))
        .remedy(remedy)
        .about(*device);
    }
}

/// Whether a finding about one of its links tells why already, or it does not advertise the address.
fn explained(cx: &Context<'_>, device: DeviceId) -> bool {
    let fabric = cx.fabric;
    let Some(router) = fabric.router_of(device) else { return true };
    // Without a routing protocol there is nothing that could say it.
    let says = router.protocol.is_none()
        || router.advertised.iter().any(|one| one.value == Advertised::Vteps);
    let linked = router.interfaces.iter().any(|id| claimed(cx, id));
    let sessions = router.sessions.iter().any(|id| {
        let session = fabric.session(id);
        session.over == SessionOver::Links
            && (cx.state.bgp().session(id).cause.is_some()
                || (router.policy_required && session.export.is_empty()))
    });
    // So does what is told of one of its cables.
    let causes = cx.state.causes();
    let is_told = |cable: CableId| {
        causes.claimed(Entity::Cable(cable), Aspect::Speed).is_some()
            || causes.claimed(Entity::Cable(cable), Aspect::Link).is_some()
    };
    // And of a port at either end of one.
    let is_off = |port: PortId| causes.claimed(Entity::Port(port), Aspect::Link).is_some();
    let mut ports = fabric.device(device).ports.iter();
    let cabled = ports.any(|port| {
        let link = fabric.link(port);
        link.is_some_and(|(cable, far)| is_told(cable) || is_off(port) || is_off(far))
    }) || fabric.replugged.iter().any(|&(_, _, cable)| {
        fabric.cable(cable).ends.iter().any(|end| fabric.port(end.value).device == device)
    });
    !says || linked || sessions || cabled
}
