use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "accept-unmatched",
        severity: Severity::Warning,
        summary: "an acceptance that matches no finding",
        explain: "The fault that was accepted is gone, or the acceptance names it wrongly. Left in \
              place it would silently hide the next fault of the kind.",
        sources: &["Felting's own"],
        broken: r#"
[[switch]]
name = "kelp-a"

[[accept]]
rule = "uplink-single-nic"
on = "gauge-1"
reason = "the controller has one NIC"
"#,
        mend: &[(
            "[[accept]]\nrule = \"uplink-single-nic\"\non = \"gauge-1\"\nreason = \"the controller has one NIC\"\n",
            "",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    // What could not be read may be what the acceptance is for.
    if !cx.fabric.is_complete() {
        return;
    }
    for (index, accept) in cx.fabric.accepts.iter().enumerate() {
        if cx.matched.contains(&index) || crate::rules::accepted::expired(accept, cx.today) {
            continue;
        }
        let rule = &accept.rule.value;
        let on: Vec<_> = accept.on.iter().map(|on| on.value.as_str()).collect();
        let about = if on.is_empty() { String::new() } else { format!(" about {}", on.join(", ")) };
        out.report(
            accept.rule.span,
            "nothing of this rule to accept",
            format!("the acceptance of {rule}{about} matches no finding"),
        )
        .wire("nothing today; it would hide the next fault of this kind")
        .remedy("take the acceptance out, or correct its `on`")
        .about_name(rule);
    }
}
