use super::{both_left_alone, half_name, two_ends};
use crate::fabric::LagId;
use crate::rules::shown::{and_more, by_line};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-protocol-clash",
        severity: Severity::Error,
        summary: "the two ends of a LAG speak different protocols",
        explain: "An end that speaks LACP waits for LACPDUs that a static end, or one with a maker's \
              own negotiation, never sends. It falls back to what it does when nobody answers, \
              while the static end uses all members at once.",
        sources: &["IEEE 802.1AX-2020 clause 6.4.12 (Expired, Defaulted)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"
protocol = "lacp"
differs = [{ on = "kelp-b", protocol = "static" }]

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("protocol = \"static\"", "protocol = \"lacp\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let clashes = two_ends(cx, RULE.rule.id)
        .into_iter()
        .map(|ends| (ends, ends.map(|lag| fabric.lag(lag).protocol.span)));
    for (end, all) in by_line(clashes.collect(), 1) {
        let (one, other) = (all[0][1 - end], all[0][end]);
        let (a, b) = (fabric.lag(one), fabric.lag(other));
        let draft = out
            .report(
                b.protocol.span,
                format!("{} is {}", half_name(fabric, other), spoken(b.protocol.value)),
                format!(
                    "{} is {}, but {} is {}{}",
                    half_name(fabric, one),
                    spoken(a.protocol.value),
                    half_name(fabric, other),
                    spoken(b.protocol.value),
                    and_more(all.len() - 1)
                ),
            )
            .related(
                a.protocol.span,
                format!("{} is {}", half_name(fabric, one), spoken(a.protocol.value)),
            )
            .wire(both_left_alone(cx, one, other))
            .remedy(match without_lacp(cx, one).or(without_lacp(cx, other)) {
                Some(device) => format!("set both ends to static: {device} has no LACP"),
                None => "set the same protocol at both ends, LACP where both can".to_owned(),
            })
            .about(a.device)
            .about(b.device);
        let lags = all.into_iter().flatten();
        lags.fold(draft, |draft, lag| draft.about(fabric.lag(lag).device));
    }
}

/// The device of a LAG, if it can't speak LACP at all.
fn without_lacp<'a>(cx: &Context<'a>, lag: LagId) -> Option<&'a str> {
    let device = cx.fabric.lag(lag).device;
    let kind = cx.fabric.hardware_of(device)?;
    (!kind.lacp.value).then(|| cx.fabric.device_name(device))
}

fn spoken(protocol: crate::value::Protocol) -> &'static str {
    match protocol {
        crate::value::Protocol::Static => "static",
        crate::value::Protocol::Lacp => "LACP",
        crate::value::Protocol::Proprietary => "proprietary",
    }
}
