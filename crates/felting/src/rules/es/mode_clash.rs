use crate::behaviour::Entity;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "es-mode-clash",
        severity: Severity::Error,
        summary: "one leaf of an Ethernet segment is all-active, another single-active",
        explain: "All leaves must agree whether all of them forward or one. A leaf that hears of both modes for one \
              segment treats it as single-active, so the LAG of the host sends half of its frames to a leaf \
              that drops them.",
        sources: &["RFC 7432 section 8.4", "RFC 7432 section 14.1.1"],
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
ethernet_segment_mode = "all-active"
differs = [{ on = "dune-b", ethernet_segment_mode = "single-active" }]

[[host]]
name = "hull-05"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = "hull-05 nic[1-2] -- dune-[a-b] p1"
"#,
        mend: &[("single-active", "all-active")],
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
        let (x, y) = (fabric.lag(one), fabric.lag(other));
        let says = |lag: &crate::fabric::Lag| {
            format!("{} is {}", fabric.device_name(lag.device), lag.ethernet_segment_mode.value)
        };
        out.report(
            y.ethernet_segment_mode.span,
            says(y),
            format!("the leaves of the Ethernet segment {} differ in mode: {}, {}", segment.id, says(x), says(y)),
        )
        .related(x.ethernet_segment_mode.span, says(x))
        .wire("the segment is taken for single-active: what the host sends to the leaf that does not forward is dropped")
        .remedy("write one mode on all leaves: all-active where the host has one LAG")
        .about(x.device)
        .about(y.device);
    }
}
