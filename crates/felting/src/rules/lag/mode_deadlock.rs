use super::{both_left_alone, half_name};
use crate::behaviour::Entity;
use crate::rules::pair::{of_peer_link, without_peer_link};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-mode-deadlock",
        severity: Severity::Error,
        summary: "both ends of a LAG wait for the other to speak",
        explain: "A passive end sends LACPDUs only once it has heard one. Two passive ends wait for \
              ever, and each does what it does when nobody answers: that is `unanswered`.",
        sources: &["IEEE 802.1AX-2020 clause 6.4.1 (LACP_Activity)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[[lag]]
on = "kelp-a"
name = "to-b"
ports = "p[1-2]"
mode = "passive"

[[lag]]
on = "kelp-b"
name = "to-a"
ports = "p[1-2]"
mode = "passive"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("mode = \"passive\"", "mode = \"active\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let (Entity::Lag(one), Some(Entity::Lag(other))) = (cause.entity, cause.other) else {
            continue;
        };
        let (a, b) = (fabric.lag(one), fabric.lag(other));
        out.report(
            a.mode.span,
            format!("{} is passive", half_name(fabric, one)),
            format!(
                "{} and {} are both passive, so neither begins",
                half_name(fabric, one),
                half_name(fabric, other)
            ),
        )
        .related(b.mode.span, format!("{} is passive", half_name(fabric, other)))
        .wire(match of_peer_link(cx, one) {
            Some(pair) => format!("no peer link forms: {}", without_peer_link(cx, pair)),
            None => format!("no LAG forms: {}", both_left_alone(cx, one, other)),
        })
        .remedy("make one end active, better both")
        .about(a.device)
        .about(b.device);
    }
}
