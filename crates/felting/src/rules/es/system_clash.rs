use super::place;
use crate::behaviour::Entity;
use crate::diagnostic::Span;
use crate::fabric::LagId;
use crate::rules::lag::identity_place;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "es-system-clash",
        severity: Severity::Error,
        summary: "the leaves of an Ethernet segment present different LACP systems or keys",
        explain: "The host takes the leaves for one partner because all present one LACP system and one key. Where \
              they differ the host's LAG keeps the links to one of them, and the others carry nothing.",
        sources: &["RFC 7432 section 5", "IEEE 802.1AX clause 6.3.6"],
        broken: r#"
[[switch]]
name = "dune-[a-b]"
ports = "p[1-4] 25G"

[[lag]]
on = "dune-*"
name = "hull-05"
ports = "p1"
tagged = 311
ethernet_segment = "02:46:00:00:00:0f/5"
system = "02:46:00:00:00:0f"
differs = [{ on = "dune-b", system = "02:46:00:00:00:10" }]

[[host]]
name = "hull-05"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = "hull-05 nic[1-2] -- dune-[a-b] p1"
"#,
        mend: &[("02:46:00:00:00:10", "02:46:00:00:00:0f")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let (Entity::EthernetSegment(id), Some(Entity::Lag(other))) = (cause.entity, cause.other)
        else {
            continue;
        };
        let segment = fabric.ethernet_segment(id);
        let Some(&one) = segment.legs.first() else { continue };
        let says = |leg: LagId| {
            let system =
                cx.state.lag(leg).system.map_or_else(String::new, |system| system.to_string());
            format!(
                "{} presents {system}, key {}",
                fabric.device_name(fabric.lag(leg).device),
                fabric.lacp_key(leg)
            )
        };
        let written = |leg: LagId, than: LagId| -> Span {
            identity_place(cx, leg, than).unwrap_or(place(fabric, leg))
        };
        let (at, from) = (written(other, one), written(one, other));
        let from = if at == from { fabric.lag(one).name.span } else { from };
        out.report(
            at,
            says(other),
            format!("the leaves of the Ethernet segment {} are two partners to LACP: {}, {}", segment.id, says(one), says(other)),
        )
        .related(from, says(one))
        .wire("the host uses the links to one of the leaves; the others are left out of its LAG")
        .remedy("set one `system`, `system_priority` and `key` on all leaves, or leave all of them to follow from the identifier")
        .about(fabric.lag(one).device)
        .about(fabric.lag(other).device);
    }
}
