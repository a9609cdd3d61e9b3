use super::name;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Protocol;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-proprietary",
        severity: Severity::Hint,
        summary: "a LAG speaks a maker's own negotiation",
        explain: "Negotiations of a single maker work between its like only, and are fading out: the \
              next switch or host may not know them. LACP does the same and is understood by all.",
        sources: &["IEEE 802.1AX clause 6.4.1"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"
protocol = "proprietary"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("protocol = \"proprietary\"", "protocol = \"lacp\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for &(one, other) in cx.state.facing_wholes.iter() {
        let (a, b) = (fabric.lag(one), fabric.lag(other));
        if ![a, b].iter().all(|lag| lag.protocol.value == Protocol::Proprietary) {
            continue;
        }
        let (name_a, name_b) = (name(fabric, one), name(fabric, other));
        let place = if b.protocol.span == a.protocol.span { b.name.span } else { b.protocol.span };
        out.report(
            a.protocol.span,
            format!("{name_a} speaks it"),
            format!("{name_a} and {name_b} speak a maker's own negotiation"),
        )
        .related(place, format!("so does {name_b}"))
        .wire("the LAG works, as long as both ends are of that make")
        .remedy("set LACP at both ends, at the next occasion")
        .about(a.device)
        .about(b.device);
    }
}
