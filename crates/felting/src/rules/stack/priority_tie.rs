use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-priority-tie",
        severity: Severity::Hint,
        summary: "members of a stack share the highest priority, so nobody chose the master",
        explain: "The member with the highest priority becomes master. If several have it, the lowest MAC address \
              decides, that is, chance: a replaced member may take the role over.",
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
members = [{ id = 1, priority = 15 }, { id = 2, priority = 15 }]

[cabling]
runs = ["jetty 1/st[1-2] -- jetty 2/st[2,1]"]
"#,
        mend: &[("id = 2, priority = 15", "id = 2, priority = 10")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, stack) in fabric.stacks() {
        let Some(best) = stack.members.iter().map(|member| member.priority.value).max() else {
            continue;
        };
        let tied: Vec<_> =
            stack.members.iter().filter(|member| member.priority.value == best).collect();
        // Where none is written the file says nothing of it, so there is nothing to contradict.
        let [first, second, ..] = tied[..] else { continue };
        if tied.iter().any(|member| !member.priority_written) {
            continue;
        }
        let name = fabric.device_name(stack.switch.value);
        let master = cx.state.stack(id).parts.first().map(|part| &stack.members[part.master]);
        out.report(
            second.priority.span,
            format!("member {} has {best} too", second.id.value),
            format!(
                "nobody chose the master of the stack {name}: {} members have the priority {best}",
                tied.len()
            ),
        )
        .related(first.priority.span, format!("member {} has {best}", first.id.value))
        .wire(match master {
            Some(master) => format!(
                "member {} is master by its lower MAC address, until a member is replaced",
                master.id.value
            ),
            None => "the lowest MAC address decides".to_owned(),
        })
        .remedy("give the member that should be master the highest priority")
        .about(stack.switch.value);
    }
}
