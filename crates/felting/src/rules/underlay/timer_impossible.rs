use super::report_wrong;
use crate::behaviour::underlay::adjacency::gives_up;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-timer-impossible",
        severity: Severity::Error,
        summary: "a neighbour is given up before its next hello",
        explain: "A router takes a neighbour for gone when it has heard no hello for the dead interval \
              (of IS-IS the holding time, which the neighbour announces). Where that is shorter \
              than the time between two hellos, the adjacency comes and goes with each of them.",
        sources: &["RFC 2328 appendix C.3", "ISO/IEC 10589 clause 8.2.3"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
hello = "10s"
dead = "5s"
"#
        ),
        mend: &[("dead = \"5s\"", "dead = \"40s\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    report_wrong(
        cx,
        out,
        RULE.rule.id,
        gives_up,
        |interface| interface.dead.span,
        |interface, label| {
            let (hello, dead) = (interface.hello.value, interface.dead.value);
            (
                format!("{dead}, with a hello every {hello}"),
                format!("{label} gives its neighbour up after {dead}, and hears it every {hello}"),
                "the adjacency comes and goes with each hello, and its routes with it".to_owned(),
                format!("set `dead` to a multiple of `hello`, such as four times {hello}"),
            )
        },
    );
}
