use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-keepalive-mirror",
        severity: Severity::Warning,
        summary: "the keepalive addresses of the two sides don't mirror each other",
        explain: "What one side sends from, the other must send to. Otherwise the one asks somebody else, \
              or is asked at an address that it does not listen at, and each takes the other for dead.",
        sources: &["trade practice of multi-chassis LAGs: no standard"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
number = 11
ports = "p[1-4] 100G"

[[management]]
name = "yard"
subnet = "192.0.2.0/24"
on = "kelp-*"

[[pair]]
name = "kelp"
domain = 11
peer_link = "peer"
[[pair.side]]
switch = "kelp-a"
keepalive = { from = "192.0.2.11", to = "192.0.2.12" }
[[pair.side]]
switch = "kelp-b"
keepalive = { from = "192.0.2.12", to = "192.0.2.21" }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[1-2]"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("192.0.2.21", "192.0.2.11")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, pair) in fabric.pairs() {
        let [Some(a), Some(b)] = pair.sides.each_ref().map(|side| side.keepalive.as_ref()) else {
            continue;
        };
        let names = pair.sides.each_ref().map(|side| fabric.device_name(side.switch.value));
        let crossed = [(names[1], &b.to, names[0], &a.from), (names[0], &a.to, names[1], &b.from)];
        let Some((near, to, far, from)) =
            crossed.into_iter().find(|(_, to, _, from)| to.value != from.value)
        else {
            continue;
        };
        out.report(
            to.span,
            format!("{near} sends to {}", to.value),
            format!(
                "the keepalives of the pair {} don't mirror each other: {near} sends to {}, but {far} sends from {}",
                pair.name.value, to.value, from.value
            ),
        )
        .related(from.span, format!("{far} sends from {}", from.value))
        .wire("at least one side hears nothing: when the peer link fails, both carry on as primary")
        .remedy(format!("write {} as `to` on {near}, or the other address on {far}", from.value))
        .about(pair.sides[0].switch.value)
        .about(pair.sides[1].switch.value);
    }
}
