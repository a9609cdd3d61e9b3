use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "accept-expired",
        severity: Severity::Warning,
        summary: "an acceptance whose last day has passed",
        explain: "Somebody accepted a finding until a day, and that day is over. The finding itself is \
              reported again.",
        sources: &["Felting's own"],
        broken: r#"
[severities]
uplink-single-nic = "off"

[[switch]]
name = "kelp-a"

[[accept]]
rule = "uplink-single-nic"
reason = "the second NIC is on order"
until = 2001-01-31
"#,
        mend: &[(
            "[[accept]]\nrule = \"uplink-single-nic\"\nreason = \"the second NIC is on order\"\nuntil = 2001-01-31\n",
            "",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    for accept in
        cx.fabric.accepts.iter().filter(|accept| crate::rules::accepted::expired(accept, cx.today))
    {
        let Some(until) = accept.until else { continue };
        let rule = &accept.rule.value;
        out.report(
            until.span,
            "its last day",
            format!("the acceptance of {rule} held until {}", until.value),
        )
        .related(accept.rule.span, "accepted here")
        .wire("what it accepted is reported again")
        .remedy("mend the fault, or accept it anew with another day")
        .about_name(rule);
    }
}
