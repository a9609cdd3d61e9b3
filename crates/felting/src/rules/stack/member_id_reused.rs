use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-member-id-reused",
        severity: Severity::Error,
        summary: "two members of a stack have one id",
        explain: "A member is known by its id, and its ports are named by it. Of two with one id the second does not \
              join, or takes another id and with it another set of ports than the configuration means.",
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
members = [{ id = 1, priority = 300 }, { id = 2, priority = 200 }, { id = 2 }]

[cabling]
runs = ["jetty 1/st[1-2] -- jetty 2/st[2,1]"]
"#,
        mend: &[(", { id = 2 }]", "]")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, stack) in fabric.stacks() {
        let name = fabric.device_name(stack.switch.value);
        for member in &stack.members {
            let Some(first) = member.same_id_as.map(|first| &stack.members[first]) else {
                continue;
            };
            let id = member.id.value;
            out.report(member.id.span, "used again", format!("two members of the stack {name} have the id {id}"))
                .related(first.id.span, "used first")
                .wire("the second does not join the stack, or joins under another number, and its ports are not those that are configured")
                .remedy("give each member its own id, and set it on the device before it is cabled")
                .about(stack.switch.value);
        }
    }
}
