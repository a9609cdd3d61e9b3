use std::net::IpAddr;

use super::{presences, segments_of};
use crate::diagnostic::{At, Span};
use crate::fabric::{EndpointId, Fabric};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::IpInterface;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "endpoint-gateway-wrong",
        severity: Severity::Error,
        summary: "an endpoint\u{2019}s gateway is no router of its segment",
        explain: "An endpoint sends what is for other subnets to the MAC address of its gateway, for which it asks in its own segment. If no router there has the address, nobody answers.",
        sources: &["RFC 1122 section 3.3.1.2"],
        broken: bench!(
            r#"
[[endpoint]]
name = "web-1"
host = "bench-1"
address = "10.80.31.21/24"
gateway = "10.80.31.254"
"#
        ),
        mend: &[("10.80.31.254", "10.80.31.1")],
    },
    check,
};

/// Whether the host of a machine has one in another subnet too, so that the two may be one that routes.
fn has_two_legs(fabric: &Fabric, machine: EndpointId) -> bool {
    let own = fabric.endpoint(machine);
    fabric.endpoints().any(|(id, other)| {
        let apart =
            |one: &At<IpInterface>| own.addresses.iter().all(|own| own.subnet() != one.subnet());
        id != machine && other.host.value == own.host.value && other.addresses.iter().any(apart)
    })
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, endpoint) in fabric.endpoints() {
        for segment in segments_of(cx, id) {
            for gateway in &endpoint.gateways {
                let mut routers: Vec<(IpAddr, Span)> = presences(fabric, segment)
                    .map(|presence| fabric.settings_at(presence))
                    .flat_map(|settings| {
                        let shared = settings.gateways.iter().map(|one| (one.value, one.span));
                        let own = settings.addresses.iter().map(|own| (own.address(), own.span));
                        shared.chain(own).collect::<Vec<_>>()
                    })
                    .collect();
                // That a machine's subnet is not that of its router is told as that.
                if routers.iter().any(|(address, _)| *address == gateway.value) {
                    continue;
                }
                routers.retain(|(address, _)| {
                    endpoint.addresses.iter().any(|own| own.subnet().contains(*address))
                });
                let Some(&(first, place)) = routers.first() else { continue };
                let (name, segment) = (&endpoint.name.value, &fabric.segment(segment).name.value);
                if let Some(&machine) = fabric.endpoints_with(gateway.value).first() {
                    // Another machine of the segment may be the router, if it has a leg in another.
                    if has_two_legs(fabric, machine) {
                        continue;
                    }
                    let machine = fabric.endpoint(machine);
                    let other = &machine.name.value;
                    out.report(
                        gateway.span,
                        format!("{} is {other}\u{2019}s", gateway.value),
                        format!(
                            "{name} sends to the gateway {}, which is {other}, a machine with a leg \
                             in {segment} alone",
                            gateway.value
                        ),
                    )
                    .related(place, format!("{first} is a router of {segment}"))
                    .related(machine.name.span, format!("{other} has {}", gateway.value))
                    .wire(format!(
                        "what {name} sends out of {segment} ends at {other}, which passes nothing on"
                    ))
                    .remedy(format!("write {first}"))
                    .about(endpoint.host.value)
                    .about_name(name)
                    .about_name(segment);
                    continue;
                }
                out.report(
                    gateway.span,
                    format!("nobody has {}", gateway.value),
                    format!(
                        "{name} sends to the gateway {}, which no router of {segment} has",
                        gateway.value
                    ),
                )
                .related(place, format!("{first} is a router of {segment}"))
                .wire(format!(
                    "nobody answers for {}: {name} reaches nothing outside {segment}",
                    gateway.value
                ))
                .remedy(format!("write {first}"))
                .about(endpoint.host.value)
                .about_name(name)
                .about_name(segment);
            }
        }
    }
}
