use crate::behaviour::StackShape;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-open-chain",
        severity: Severity::Warning,
        summary: "a stack whose links are a chain, not a ring",
        explain: "In a ring every member reaches every other by two ways, so one link or member can fail. In a \
              chain the first failure splits the stack, and two parts claim the same addresses.",
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
split_detection = "link"
stack_ports = "st[1-2] 40G"
members = [{ id = 1, priority = 300 }, { id = 2, priority = 200 }]

[cabling]
runs = ["jetty 1/st1 -- jetty 2/st2"]
"#,
        mend: &[("\"jetty 1/st1 -- jetty 2/st2\"", "\"jetty 1/st[1-2] -- jetty 2/st[2,1]\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, stack) in fabric.stacks() {
        let shape = cx.state.stack(id).shape;
        let others = stack
            .members
            .iter()
            .map(|member| member.stack_id.map(|id| id.value))
            .any(|id| id != stack.members[0].stack_id.map(|id| id.value));
        let split = shape == StackShape::Split && !others;
        if shape != StackShape::Chain && !split {
            continue;
        }
        // A cable that joins no two members is told as that.
        let astray = stack.members.iter().flat_map(|member| &member.stack_ports).any(|&port| {
            let own = fabric.stack_member(port).map(|member| member.id.value);
            fabric.link(port).is_some_and(|(_, far)| {
                let there = fabric.stack_member(far).map(|member| member.id.value);
                !fabric.is_stack_port(far) || there == own
            })
        });
        if astray {
            continue;
        }
        let name = fabric.device_name(stack.switch.value);
        let free: Vec<_> = stack
            .members
            .iter()
            .filter(|member| member.absent.is_none())
            .flat_map(|member| member.stack_ports.iter().copied())
            .filter(|&port| cx.state.far(port).is_none())
            .collect();
        let names: Vec<_> = free.iter().map(|&port| fabric.port_name(port)).collect();
        let what = if split { "do not join its members" } else { "make a chain, not a ring" };
        let mut draft = out.report(
            stack.switch.span,
            "this stack",
            format!("the links of the stack {name} {what}"),
        );
        if split {
            draft = draft.severity(Severity::Error);
        }
        draft = match free.first() {
            Some(&port) => draft.related(
                fabric.port(port).span.0,
                format!("{} without a link", crate::diagnostic::some_of(&names)),
            ),
            None => draft
                .related(fabric.device(stack.switch.value).name.span, "the switch that it makes"),
        };
        draft
            .wire(match split {
                true => "each part takes itself for the stack, with the same addresses",
                false => "the first stack link or inner member that fails splits the stack in two",
            })
            .remedy("cable the first member to the last, so that the links close a ring")
            .about(stack.switch.value);
    }
}
