use crate::behaviour::{Aspect, Entity};
use crate::diagnostic::Span;
use crate::fabric::Pair;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-peer-link-single",
        severity: Severity::Warning,
        summary: "a peer link of one cable",
        explain: "The peer link is what keeps a pair together: when it is down, the secondary closes its \
              ports or both sides go their own way. One cable is one failure away from that.",
        sources: &["trade practice of multi-chassis LAGs: no standard"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 100G"

[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p1"

[cabling]
runs = "kelp-a p1 -- kelp-b p1"
"#,
        mend: &[
            ("ports = \"p1\"", "ports = \"p[1-2]\""),
            ("kelp-a p1 -- kelp-b p1", "kelp-a p[1-2] -- kelp-b p[1-2]"),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, pair) in fabric.pairs() {
        // Where a cable of it ends elsewhere, that is the fault.
        if cx.state.causes().claimed(Entity::Pair(id), Aspect::Partner).is_some() {
            continue;
        }
        let Some((place, link)) = only_cable(cx, pair) else { continue };
        let name = &pair.name.value;
        out.report(place, "the only cable", format!("the peer link of the pair {name} has one cable"))
            .related(link, "the peer link")
            .wire("when this cable or one of its ports fails, the secondary closes its groups, or (without a keepalive) both sides go their own way")
            .remedy("add a second cable to the LAG, on another line card if there is one")
            .about(pair.sides[0].switch.value)
            .about(pair.sides[1].switch.value);
    }
}

/// The place of the single cable that joins the two LAGs, and that of the peer link's name.
fn only_cable(cx: &Context<'_>, pair: &Pair) -> Option<(Span, Span)> {
    let fabric = cx.fabric;
    let [a, b] = &pair.sides;
    let (link, other) = (a.peer_link?, b.peer_link?);
    let mut places = fabric.lag(link.value).members.iter().filter_map(|member| {
        let port = fabric.member(member).port.value;
        let (_, far) = fabric.link(port)?;
        (fabric.lag_of(far) == Some(other.value))
            .then(|| crate::rules::lag::plug(fabric, port))
            .flatten()
    });
    let first = places.next()?;
    places.next().is_none().then_some((first, link.span))
}
