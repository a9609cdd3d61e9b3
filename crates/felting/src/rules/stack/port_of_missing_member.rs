use crate::diagnostic::Span;
use crate::fabric::PortId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-port-of-missing-member",
        severity: Severity::Warning,
        summary: "something is configured on a member that is not there",
        explain: "The place is configured, but nothing stands in it: a LAG counts a member that can't come up, and \
              the day that somebody puts a switch there it comes up with settings that nobody remembers.",
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
members = [{ id = 1, priority = 300 }, { id = 2, priority = 200 }, { id = 3, absent = true }]

[[lag]]
on = "jetty"
name = "bench"
ports = ["1/p1", "3/p1"]

[[host]]
name = "silo-1"
nics = "nic[1-2] 1G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = ["jetty 1/st[1-2] -- jetty 2/st[2,1]", "silo-1 nic[1-2] -- jetty [1,3]/p1"]
"#,
        mend: &[("[1,3]/p1", "[1,2]/p1"), (", \"3/p1\"]", ", \"2/p1\"]")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    if fabric.stacks.is_empty() {
        return;
    }
    let members = fabric.members().map(|(_, member)| {
        let lag = &fabric.lag(member.lag).name.value;
        (member.port.value, member.port.span, format!("is a member of {lag}"))
    });
    let mut used: Vec<(PortId, Span, String)> = members.collect();
    let mut settings: Vec<_> = fabric.port_settings.iter().collect();
    settings.sort_unstable_by_key(|&(&port, _)| port);
    used.extend(
        settings.into_iter().map(|(&port, own)| (port, own.span.0, "has settings".to_owned())),
    );
    for (port, place, what) in used {
        let Some(member) = fabric.stack_member(port) else { continue };
        let Some(absent) = member.absent else { continue };
        let label = fabric.port_label(port);
        out.report(
            place,
            format!("{label} {what}"),
            format!(
                "{label} {what}, but nothing stands in the place of member {}",
                member.id.value
            ),
        )
        .related(absent, format!("member {} is not there", member.id.value))
        .wire("the port never comes up, and what counts on it is a link short")
        .remedy("take the port out, or take `absent` away once the member is there")
        .about(fabric.port(port).device);
    }
}
