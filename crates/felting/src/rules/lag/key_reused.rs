use super::{half_name, links};
use crate::behaviour::Entity;
use crate::diagnostic::Span;
use crate::fabric::LagId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-key-reused",
        severity: Severity::Error,
        summary: "two LAGs between the same systems present one key",
        explain: "LACP knows a LAG by the system and the key of both ends. Two LAGs between one pair of \
              systems with the same keys at both ends are one LAG to it: all their links aggregate.",
        sources: &["IEEE 802.1AX clause 6.3.6 (Link Aggregation Group identification)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-4] 25G"

[[lag]]
on = "kelp-*"
name = "tides"
ports = "p[1-2]"
key = 7

[[lag]]
on = "kelp-*"
name = "plankton"
ports = "p[3-4]"
key = 7

[cabling]
runs = "kelp-a p[1-4] -- kelp-b p[1-4]"
"#,
        mend: &[("ports = \"p[3-4]\"\nkey = 7", "ports = \"p[3-4]\"\nkey = 8")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let (Entity::Lag(id), Some(Entity::Lag(first))) = (cause.entity, cause.other) else {
            continue;
        };
        let place = |lag: LagId| -> Span {
            let lag = fabric.lag(lag);
            lag.key.map_or(lag.name.span, |key| key.span)
        };
        let (name, other) = (half_name(fabric, id), half_name(fabric, first));
        let key = fabric.lacp_key(id);
        // What the other end presents for the same links.
        let far = links(cx, id).first().and_then(|&(_, _, far)| fabric.lag_of(far));
        let theirs =
            far.map(|far| (fabric.device_name(fabric.lag(far).device), fabric.lacp_key(far)));
        let keys = match theirs {
            Some((device, theirs)) if theirs != key => {
                format!("at either end: {key} here, {theirs} on {device}")
            }
            _ => format!("at both ends: {key}"),
        };
        out.report(
            place(id),
            format!("{name} has the key {key} too"),
            format!("{other} and {name} lead to one system and present one key {keys}"),
        )
        .related(place(first), format!("{other} has the key {key}"))
        .wire("LACP takes all their links for one LAG, whatever their VLANs")
        .remedy("give each LAG its own key at one end at least")
        .about(fabric.lag(id).device);
    }
}
