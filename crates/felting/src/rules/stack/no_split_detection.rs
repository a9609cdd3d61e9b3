use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::SplitDetection;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-no-split-detection",
        severity: Severity::Warning,
        summary: "a stack that would not notice being split",
        explain: "When two stack links fail, the parts go on, each as the whole stack: with the same MAC and IP \
              addresses. Split detection lets one part notice the other, and \
              close its ports.",
        sources: &["trade practice of stacks: no standard"],
        broken: r#"
[[hardware]]
name = "gull-24"
ports = "ge[1-4] 1G"

[[switch]]
name = "jetty"
hardware = "gull-24"

[[stack]]
switch = "jetty"
domain = 3
stack_ports = "st[1-2] 40G"
members = [{ id = 1, priority = 15 }, { id = 2, priority = 10 }]

[cabling]
runs = ["jetty 1/st[1-2] -- jetty 2/st[2,1]"]
"#,
        mend: &[("domain = 3", "domain = 3\nsplit_detection = \"link\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, stack) in fabric.stacks() {
        let blind = stack.split_detection.value == SplitDetection::None;
        if !blind || stack.members.len() < 2 {
            continue;
        }
        let name = fabric.device_name(stack.switch.value);
        let written = stack.split_detection.span;
        let (at, related) = match written == stack.switch.span {
            true => (stack.switch.span, stack.members[1].id.span),
            false => (written, stack.switch.span),
        };
        out.report(at, "no split detection", format!("the stack {name} has no split detection"))
            .related(related, format!("{} members can be parted", stack.members.len()))
            .wire("after a split both parts go on as the switch, with its addresses: a LAG to both keeps its links to one of them, and whoever hangs on the other is parted from it")
            .remedy("set `split_detection`: \"link\" with a link of its own, or \"lacp\" over a partner that passes it on")
            .about(stack.switch.value);
    }
}
