use crate::behaviour::Entity;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "cable-loop",
        severity: Severity::Error,
        summary: "both ends of a cable are in one switch",
        explain: "What leaves one of the ports comes back by the other. With a spanning tree one of \
              the two discards and the cable is of no use; without one, frames go round for ever. \
              A LAG takes such members for links to itself and keeps them out (IEEE 802.1AX). Where \
              the cable is meant, say `loopback = true` in its run.",
        sources: &["IEEE 802.1Q clause 13.12 (Backup Port)", "IEEE 802.1AX clause 6.4.14.1"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[cabling]
runs = [{ run = "kelp-a p1 -- kelp-a p2" }]
"#,
        mend: &[("p2\" }", "p2\", loopback = true }")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Cable(cable) = cause.entity else { continue };
        let [a, b] = fabric.cable(cable).ends;
        let device = fabric.port(a.value).device;
        let name = fabric.device_name(device);
        let (one, other) = (fabric.port_name(a.value), fabric.port_name(b.value));
        out.report(
            b.span,
            format!("and back into {name} by {other}"),
            format!("the cable in {name} {one} leads back to {name}, to its port {other}"),
        )
        .related(a.span, format!("out of {name} by {one}"))
        .wire("frames that leave by one of the two ports come back by the other: without a spanning tree they go round for ever")
        .remedy("look where the cable should end; if it is meant, write `loopback = true` in its run")
        .about(device);
    }
}
