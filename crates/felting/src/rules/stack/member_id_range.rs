use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-member-id-range",
        severity: Severity::Error,
        summary: "a member id beyond what the hardware knows",
        explain: "Members are numbered from 1 to the largest stack that the hardware makes. A device cannot be \
              given a number beyond that, so the ports named by it do not exist.",
        sources: &["trade practice of stacks: no standard"],
        broken: r#"
[[hardware]]
name = "gull-24"
ports = "p[1-4] 1G"
stack_members = 4

[[switch]]
name = "jetty"
hardware = "gull-24"

[[stack]]
switch = "jetty"
stack_id = 3
split_detection = "link"
stack_ports = "st[1-2] 40G"
members = [{ id = 1, priority = 300 }, { id = 9, priority = 200 }]

[cabling]
runs = ["jetty 1/st[1-2] -- jetty 9/st[2,1]"]
"#,
        mend: &[("id = 9", "id = 2"), ("jetty 9/st", "jetty 2/st")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, stack) in fabric.stacks() {
        let name = fabric.device_name(stack.switch.value);
        for member in &stack.members {
            let Some(kind) = member.hardware.map(|kind| fabric.hardware_kind(kind.value)) else {
                continue;
            };
            let Some(most) = kind.stack_members else { continue };
            if member.id.get() <= u32::from(most.value) {
                continue;
            }
            out.report(
                member.id.span,
                format!("a {} knows 1 to {}", kind.name.value, most.value),
                format!("the stack {name} has a member {}, but a {} numbers them from 1 to {}", member.id.value, kind.name.value, most.value),
            )
            .related(most.span, "the largest stack of this kind")
            .wire("the device does not take the number, so what is configured for its ports does nothing")
            .remedy(format!("number the members from 1 to {}", most.value))
            .about(stack.switch.value);
        }
    }
}
