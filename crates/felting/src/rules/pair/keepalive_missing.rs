use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-keepalive-missing",
        severity: Severity::Warning,
        summary: "a pair without a keepalive, or with one at one side only",
        explain: "When the peer link is down, the keepalive tells a side whether the other lives. With \
              it the secondary closes its groups and the primary carries on. Without it both take \
              themselves for the primary: each host then has two partners that know nothing of each \
              other.",
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

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[1-2]"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[(
            "peer_link = \"peer\"",
            "peer_link = \"peer\"\nkeepalive = { between = [\"192.0.2.11\", \"192.0.2.12\"] }",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, pair) in fabric.pairs() {
        let lacking: Vec<_> = pair.sides.iter().filter(|side| side.keepalive.is_none()).collect();
        let Some(first) = lacking.first() else { continue };
        let name = fabric.device_name(first.switch.value);
        let having = pair.sides.iter().find_map(|side| {
            let keepalive = side.keepalive.as_ref()?;
            Some((keepalive.from.span, fabric.device_name(side.switch.value)))
        });
        let what = match lacking.len() {
            1 => format!("{name} has none"),
            _ => "neither side has one".to_owned(),
        };
        let mut draft = out.report(
            pair.name.span,
            "no keepalive",
            format!("the pair {} has no keepalive: {what}", pair.name.value),
        );
        draft = match having {
            Some((place, other)) => draft.related(place, format!("{other} has one")),
            None => draft.related(first.switch.span, format!("{name} has none")),
        };
        draft
            .wire("when the peer link fails, each side takes the other for dead and both carry on as primary")
            .remedy("add `keepalive` with an address of either side, best over the management network")
            .about(pair.sides[0].switch.value)
            .about(pair.sides[1].switch.value);
    }
}
