use crate::behaviour::Reason;
use crate::fabric::StackId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::SplitDetection;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-split-detection-missing",
        severity: Severity::Warning,
        summary: "a stack that would not notice being split",
        explain: "When two stack links fail, the parts go on, each as the whole stack: with the same MAC and IP \
              addresses. Split detection lets one part notice the other, and \
              close its ports.",
        sources: &["trade practice of stacks: no standard"],
        broken: r#"
[[hardware]]
name = "gull-24"
ports = "p[1-4] 1G"

[[switch]]
name = "jetty"
hardware = "gull-24"

[[stack]]
switch = "jetty"
stack_id = 3
stack_ports = "st[1-2] 40G"
members = [{ id = 1, priority = 300 }, { id = 2, priority = 200 }]

[cabling]
runs = ["jetty 1/st[1-2] -- jetty 2/st[2,1]"]
"#,
        mend: &[("stack_id = 3", "stack_id = 3\nsplit_detection = \"link\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, stack) in fabric.stacks() {
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
            .wire(wire(cx, id))
            .remedy("set `split_detection`: \"link\" with a link of its own, or \"management\" over the management network")
            .about(stack.switch.value);
    }
}

/// What a split comes to: asked of the state in which one member has lost all its stack links.
fn wire(cx: &Context<'_>, id: StackId) -> String {
    let fabric = cx.fabric;
    let stack = fabric.stack(id);
    let name = fabric.device_name(stack.switch.value);
    let split = stack.members.iter().rev().find_map(|member| {
        let ports = member.stack_ports.iter();
        let cut = ports.fold(cx.state.condition().clone(), |cut, &port| cut.port(port));
        let state = cx.state.given(&cut);
        state.stack(id).is_doubled().then_some((member.id.get(), state))
    });
    let Some((number, state)) = split else {
        return format!(
            "a part of {name} that loses the others goes on as {name}, with its addresses"
        );
    };
    let left_out = fabric
        .members()
        .find(|(member, _)| state.member(*member).reason == Reason::OtherPart)
        .map(|(_, member)| crate::rules::lag::name(fabric, member.lag));
    let parted = match left_out {
        Some(lag) => format!("; {lag} uses its links to one of them alone"),
        None => String::new(),
    };
    format!(
        "when member {number} loses its stack links, it and the others both go on as {name}, with its addresses\
         {parted}"
    )
}
