use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-id-clash",
        severity: Severity::Error,
        summary: "a member is set to be of another stack",
        explain: "Members join only with those that have their stack id. One that has another stays alone: it \
              comes up as a stack of one, with the configuration of the whole and the same addresses.",
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
members = [{ id = 1, priority = 300 }, { id = 2, priority = 200, stack_id = 4 }]

[cabling]
runs = ["jetty 1/st[1-2] -- jetty 2/st[2,1]"]
"#,
        mend: &[(", stack_id = 4", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, stack) in fabric.stacks() {
        let name = fabric.device_name(stack.switch.value);
        let Some(first) = stack.stack_id.or_else(|| stack.members.first()?.stack_id) else {
            continue;
        };
        for member in &stack.members {
            let Some(own) = member.stack_id.filter(|own| own.value != first.value) else {
                continue;
            };
            let id = member.id.value;
            out.report(
                own.span,
                format!("member {id} has the stack id {}", own.value),
                format!("member {id} of the stack {name} has the stack id {}, the stack {}", own.value, first.value),
            )
            .related(first.span, format!("the stack has the id {}", first.value))
            .wire(format!("member {id} does not join: it comes up as a stack of one beside the others, with the same addresses"))
            .remedy(format!("give member {id} the stack id {}", first.value))
            .about(stack.switch.value);
        }
    }
}
