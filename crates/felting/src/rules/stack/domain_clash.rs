use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-domain-clash",
        severity: Severity::Error,
        summary: "a member is set to another domain than its stack",
        explain: "Members join only with those of their own domain. One that is set to another stays alone: it \
              comes up as a stack of one, with the configuration of the whole and the same addresses.",
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
split_detection = "link"
stack_ports = "st[1-2] 40G"
members = [{ id = 1, priority = 15 }, { id = 2, priority = 10, domain = 4 }]

[cabling]
runs = ["jetty 1/st[1-2] -- jetty 2/st[2,1]"]
"#,
        mend: &[(", domain = 4", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, stack) in fabric.stacks() {
        let name = fabric.device_name(stack.switch.value);
        let Some(first) = stack.domain.or_else(|| stack.members.first()?.domain) else { continue };
        for member in &stack.members {
            let Some(own) = member.domain.filter(|own| own.value != first.value) else { continue };
            let id = member.id.value;
            out.report(
                own.span,
                format!("member {id} is in domain {}", own.value),
                format!("member {id} of the stack {name} is in domain {}, the stack in domain {}", own.value, first.value),
            )
            .related(first.span, format!("the stack is in domain {}", first.value))
            .wire(format!("member {id} does not join: it comes up as a stack of one beside the others, with the same addresses"))
            .remedy(format!("set domain {} on member {id}", first.value))
            .about(stack.switch.value);
        }
    }
}
