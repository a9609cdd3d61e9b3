use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-too-many-members",
        severity: Severity::Error,
        summary: "more members than the hardware stacks",
        explain: "A stack of this kind takes so many members. One more does not join, or makes a stack of its own \
              beside, with the same addresses.",
        sources: &["trade practice of stacks: no standard"],
        broken: r#"
[[hardware]]
name = "gull-24"
ports = "p[1-4] 1G"
stack_members = 2

[[hardware]]
name = "gull-48"
ports = "p[1-4] 1G"

[[switch]]
name = "jetty"
hardware = "gull-24"

[[stack]]
switch = "jetty"
stack_id = 3
split_detection = "link"
stack_ports = "st[1-2] 40G"
members = [{ id = 1, priority = 300 }, { id = 2, priority = 200 }, { id = 3, hardware = "gull-48" }]

[[accept]]
rule = "stack-model-mix"
on = "jetty"
reason = "the larger kind is stacked with the smaller on purpose"

[cabling]
runs = ["jetty 1/st[1-2] -- jetty [2-3]/st1", "jetty 2/st2 -- jetty 3/st2"]
"#,
        mend: &[("stack_members = 2", "stack_members = 3")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, stack) in fabric.stacks() {
        let name = fabric.device_name(stack.switch.value);
        let there = stack.members.iter().filter(|member| member.same_id_as.is_none());
        let count = there.clone().count();
        let limit = there
            .filter_map(|member| fabric.hardware_kind(member.hardware?.value).stack_members)
            .min_by_key(|most| most.value);
        let Some(most) = limit.filter(|most| count > usize::from(most.value)) else { continue };
        // An id beyond the limit says the same of one member.
        if stack.members.iter().any(|member| {
            let own =
                member.hardware.and_then(|kind| fabric.hardware_kind(kind.value).stack_members);
            own.is_some_and(|own| member.id.get() > u32::from(own.value))
        }) {
            continue;
        }
        let Some(last) = stack.members.last() else { continue };
        out.report(
            last.id.span,
            format!("{count} members"),
            format!("the stack {name} has {count} members, but its hardware stacks {}", most.value),
        )
        .related(most.span, format!("{} at most", most.value))
        .wire("the last member does not join, or makes a stack of its own with the same addresses")
        .remedy("take a member out, or make two stacks")
        .about(stack.switch.value);
    }
}
