use super::{both_left_alone, half_name, two_ends};
use crate::rules::pair::{of_peer_link, without_peer_link};
use crate::rules::shown::{and_more, by_line};
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
    let clashes = two_ends(cx, RULE.rule.id)
        .into_iter()
        .map(|ends| (ends, ends.map(|lag| fabric.lag(lag).mode.span)));
    for (end, all) in by_line(clashes.collect(), 0) {
        let (one, other) = (all[0][end], all[0][1 - end]);
        let (a, b) = (fabric.lag(one), fabric.lag(other));
        let draft = out
            .report(
                a.mode.span,
                format!("{} is passive", half_name(fabric, one)),
                format!(
                    "{} and {} are both passive, so neither begins{}",
                    half_name(fabric, one),
                    half_name(fabric, other),
                    and_more(all.len() - 1)
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
        let lags = all.into_iter().flatten();
        lags.fold(draft, |draft, lag| draft.about(fabric.lag(lag).device));
    }
}
