use crate::fabric::Accept;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "accept-unbounded",
        severity: Severity::Hint,
        summary: "an acceptance of all that a rule finds, for ever",
        explain: "An acceptance without `on` and without `until` hides whatever the rule finds, today and \
                  from now on: the next fault of the kind is accepted before anybody has seen it. This \
                  hint can be neither accepted nor switched off.",
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
reason = "the controller has one NIC"

[cabling]
runs = "gauge-1 nic1 -- kelp-a p1"
"#,
        mend: &[("rule = \"uplink-single-nic\"", "rule = \"uplink-single-nic\"\non = \"gauge-1\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    // A pattern that matches all says no more than none.
    let all = |accept: &Accept| accept.on.is_empty() || accept.on.iter().any(|on| on.value == "*");
    let accepts = cx.fabric.accepts.iter();
    for accept in accepts.filter(|accept| all(accept) && accept.until.is_none()) {
        let rule = &accept.rule.value;
        out.report(
            accept.rule.span,
            "whatever it finds",
            format!("all that {rule} finds is accepted for ever"),
        )
        .wire("nothing today; the next fault of this kind is hidden before anybody has seen it")
        .remedy("say `on` what it is accepted, or `until` when")
        .about_name(rule);
    }
}
