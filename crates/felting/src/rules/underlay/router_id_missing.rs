use std::collections::BTreeMap;

use crate::diagnostic::{Span, some_of};
use crate::fabric::DeviceId;
use crate::rules::check::Draft;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::UnderlayProtocol;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-router-id-missing",
        severity: Severity::Warning,
        summary: "a router has no router id, and no IPv4 loopback to take one from",
        explain: "OSPF and BGP know routers by numbers of 32 bits, also where all addresses are of IPv6. Without one written, \
              from a pool, or an IPv4 loopback, it is left to the system whether it makes one up or starts neither.",
        sources: &["RFC 5340 section 2.11", "RFC 4271 section 4.2", "RFC 6286 section 2.1"],
        broken: concat!(
            part!(switches),
            r#"
[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "2001:db8:64:8::/64"

[[pool]]
name = "v6-links"
gives = "links"
prefix = "2001:db8:64::/64"
"#,
            part!(uplinks),
            part!(ospf),
        ),
        mend: &[(
            "[cabling]",
            "[[pool]]\nname = \"ids\"\ngives = \"router-ids\"\nprefix = \"10.64.7.0/24\"\n\n[cabling]",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut of_line: BTreeMap<Span, Vec<DeviceId>> = BTreeMap::new();
    for (_, router) in fabric.routers() {
        let protocol = router.protocol.map(|protocol| protocol.value);
        let needs = protocol == Some(UnderlayProtocol::Ospf) || !router.sessions.is_empty();
        // What has no loopback at all, or what a pool could not give, is told as that.
        let told = router.loopbacks.is_empty() || fabric.went_without(router.device);
        if needs && !told && router.router_id.is_none() {
            of_line.entry(router.span.0).or_default().push(router.device);
        }
    }
    for (span, switches) in of_line {
        let names: Vec<&str> = switches.iter().map(|&one| fabric.device_name(one)).collect();
        let who = some_of(&names);
        let has = if names.len() == 1 { "has" } else { "have" };
        let loopback = fabric.router_of(switches[0]).and_then(|router| router.loopbacks.first());
        let Some(loopback) = loopback else { continue };
        let draft = out
            .report(
                span,
                format!("{who}: no router id"),
                format!("{who} {has} no router id, and no IPv4 loopback to take one from"),
            )
            .related(loopback.span, format!("{} is the loopback of {}", loopback.value, names[0]))
            .wire(
                "OSPF and BGP tell neighbours of it: a system without one starts neither, or makes up one that nobody \
                 planned",
            )
            .remedy(
                "add a [[pool]] that gives `router-ids`, or write `router_id`; route distinguishers are made of it too",
            );
        switches.into_iter().fold(draft, Draft::about);
    }
}
