use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-priority-tie",
        severity: Severity::Hint,
        summary: "members of a stack share the highest priority, so nobody chose the lead",
        explain: "The member with the highest priority becomes the lead. If several have it, the lowest MAC address \
              decides, that is, chance: a replaced member may take the role over.",
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
members = [{ id = 1, priority = 300 }, { id = 2, priority = 300 }]

[cabling]
runs = ["jetty 1/st[1-2] -- jetty 2/st[2,1]"]
"#,
        mend: &[("id = 2, priority = 300", "id = 2, priority = 200")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, stack) in fabric.stacks() {
        // Where none is written the file says nothing of it, so there is nothing to contradict.
        let written = || stack.members.iter().filter_map(|m| Some((m.id.value, m.priority?)));
        let Some(best) = written().map(|(_, priority)| priority.value).max() else { continue };
        let tied: Vec<_> = written().filter(|(_, priority)| priority.value == best).collect();
        let [(first, at), (second, again), ..] = tied[..] else { continue };
        let name = fabric.device_name(stack.switch.value);
        let lead = cx.state.stack(id).parts.first().map(|part| &stack.members[part.lead]);
        out.report(
            again.span,
            format!("member {second} has {best} too"),
            format!(
                "nobody chose the lead of the stack {name}: {} members have the priority {best}",
                tied.len()
            ),
        )
        .related(at.span, format!("member {first} has {best}"))
        .wire(match lead {
            Some(lead) => format!(
                "member {} leads by its lower MAC address, until a member is replaced",
                lead.id.value
            ),
            None => "the lowest MAC address decides".to_owned(),
        })
        .remedy("give the member that should lead the highest priority")
        .about(stack.switch.value);
    }
}
