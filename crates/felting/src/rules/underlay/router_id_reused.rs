use std::net::{IpAddr, Ipv4Addr};

use rustc_hash::FxHashMap;

use crate::fabric::DeviceId;
use crate::rules::{Context, Findings, Rule, Severity};
use crate::source::Span;

pub(super) static RULE: Rule = Rule {
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
    check,
};

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
        out.report(
            id.span,
            format!("router id of {name}"),
            format!("{name} and {other} have one router id, {}", id.value),
        )
        .related(place, format!("router id of {other}"))
        .wire(
            "each overwrites what the other says of its links: routes come and go, \
             and none of the two is reached reliably"
                .to_owned(),
        )
        .remedy(
            "give each its own, or leave it out: it is then the loopback\u{2019}s \
             address"
                .to_owned(),
        )
        .about(router.device)
        .about(owner);
    }
}
