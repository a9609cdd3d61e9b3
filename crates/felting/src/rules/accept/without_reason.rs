use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "accept-without-reason",
        severity: Severity::Warning,
        summary: "an acceptance that doesn't say why",
        explain: "A finding is accepted because somebody judged it. Without the reason nobody can tell \
              later whether it still holds.",
        sources: &["Felting's own"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 1G"

[[host]]
name = "gauge-1"
nics = "nic1 1G"

[[accept]]
rule = "uplink-single-nic"
on = "gauge-1"

[cabling]
runs = "gauge-1 nic1 -- kelp-a p1"
"#,
        mend: &[("on = \"gauge-1\"", "on = \"gauge-1\"\nreason = \"the controller has one NIC\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    for accept in &cx.fabric.accepts {
        let given = accept.reason.as_ref().is_some_and(|reason| !reason.value.trim().is_empty());
        if given {
            continue;
        }
        let rule = &accept.rule.value;
        out.report(
            accept.reason.as_ref().map_or(accept.rule.span, |reason| reason.span),
            "accepted without a word why",
            format!("the acceptance of {rule} gives no reason"),
        )
        .wire("nothing; but nobody can tell later whether it still holds")
        .remedy("add `reason`")
        .about_name(rule);
    }
}
