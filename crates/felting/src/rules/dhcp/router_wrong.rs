use std::net::IpAddr;

use super::presences;
use crate::diagnostic::Span;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "dhcp-router-wrong",
        severity: Severity::Error,
        summary: "a DHCP range tells hosts of a router that its segment does not have, or of none",
        explain: "Hosts take their gateway from what the server says (the router option). If nobody in the segment has that address, they reach nothing outside it.",
        sources: &["RFC 2132 section 3.5"],
        broken: bench!(
            r#"
[[dhcp]]
name = "web-hosts"
segment = "tides-web"
addresses = "10.80.31.100-10.80.31.199"
router = "10.80.31.254"
"#
        ),
        mend: &[("10.80.31.254", "10.80.31.1")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, dhcp) in fabric.dhcps() {
        let segment = dhcp.segment.value;
        // IPv6 hosts learn routers from the routers themselves (RFC 4861 section 6.2.3).
        let v4 = dhcp.addresses.iter().any(|range| range.first().is_ipv4());
        let routers: Vec<(IpAddr, Span)> = presences(fabric, segment)
            .flat_map(|presence| {
                let settings = fabric.settings_at(presence);
                let shared = settings.gateways.iter().map(|gateway| (gateway.value, gateway.span));
                let own = settings.addresses.iter().map(|own| (own.address(), own.span));
                shared.chain(own).collect::<Vec<_>>()
            })
            .filter(|(address, _)| address.is_ipv4())
            .collect();
        let Some(&(first, place)) = routers.first().filter(|_| v4) else { continue };
        let wrong = dhcp.routers.iter().find(|router| {
            routers.iter().all(|(address, _)| *address != router.value)
                && fabric.endpoints_with(router.value).is_empty()
        });
        let name = &fabric.segment(segment).name.value;
        let (span, label, message) = match wrong {
            Some(router) => (
                router.span,
                format!("nobody has {}", router.value),
                format!(
                    "the DHCP range {} tells hosts of the router {}, which {name} does not have",
                    dhcp.name.value, router.value
                ),
            ),
            None if dhcp.routers.is_empty() => (
                dhcp.name.span,
                "says no router".to_owned(),
                format!(
                    "the DHCP range {} tells hosts of no router, though {name} has one",
                    dhcp.name.value
                ),
            ),
            None => continue,
        };
        out.report(span, label, message)
            .related(place, format!("{first} is a router of {name}"))
            .wire(format!(
                "hosts that get their address from {} reach nothing outside {name}",
                dhcp.name.value
            ))
            .remedy(format!("write `router = \"{first}\"`"))
            .about_name(&dhcp.name.value)
            .about_name(name);
    }
}
