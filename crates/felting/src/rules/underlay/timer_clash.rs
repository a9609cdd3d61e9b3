use super::{End, report_clashes};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-timer-clash",
        severity: Severity::Error,
        summary: "the two ends of a link have different OSPF timers",
        explain: "An OSPF router drops a hello whose hello or dead interval is not its own. (IS-IS \
              says its holding time in the hello, so its timers may differ.)",
        sources: &["RFC 2328 section 10.5"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
differs = [{ on = "kelp-b", hello = "2s" }]
"#
        ),
        mend: &[(", hello = \"2s\"", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    report_clashes(
        cx,
        out,
        RULE.rule.id,
        |near, far| {
            let (a, b) = (fabric.interface(near), fabric.interface(far));
            [near, far].map(|id| {
                let interface = fabric.interface(id);
                End {
                    device: interface.device,
                    span: if a.hello.value == b.hello.value {
                        interface.dead.span
                    } else {
                        interface.hello.span
                    },
                    text: format!(
                        "{}: hello {}, dead {}",
                        fabric.interface_label(id),
                        interface.hello.value,
                        interface.dead.value
                    ),
                }
            })
        },
        "the ends of a link have different timers",
        "each end drops the hellos of the other: no adjacency forms on this link",
        "set one hello and one dead interval at both ends",
    );
}
