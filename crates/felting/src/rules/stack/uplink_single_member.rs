use crate::fabric::{DeviceKind, PortId};
use crate::rules::lag::half_name;
use crate::rules::underlay::tier;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-uplink-single-member",
        severity: Severity::Warning,
        summary: "the only way up from a stack is on one of its members",
        explain: "A stack survives the loss of a member only if what joins it to the rest does. A LAG whose ports are \
              all on one member goes down with that member, and so do all the others behind it.",
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

[[switch]]
name = "mud-1"
ports = "p[1-2] 1G"

[[lag]]
on = "jetty"
name = "mud-1"
ports = "1/p[1-2]"
tagged = 420

[[lag]]
on = "mud-1"
name = "up"
ports = "p[1-2]"
tagged = 420

[cabling]
runs = ["jetty 1/st[1-2] -- jetty 2/st[2,1]", "mud-1 p[1-2] -- jetty 1/p[1-2]"]
"#,
        mend: &[
            ("ports = \"1/p[1-2]\"", "ports = \"[1-2]/p1\""),
            ("-- jetty 1/p[1-2]", "-- jetty [1-2]/p1"),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, stack) in fabric.stacks() {
        let device = stack.switch.value;
        let there = stack.members.iter().filter(|member| member.absent.is_none()).count();
        // The links up, or to other switches where nobody says what is up, and the member that each is on.
        let own = tier(fabric, device);
        let leads_up = |port: &PortId| {
            let there =
                fabric.link(*port).and_then(|(_, far)| tier(fabric, fabric.port(far).device));
            there > own
        };
        let up: Vec<PortId> = fabric.device(device).ports.iter().filter(leads_up).collect();
        let beside = || {
            fabric
                .device(device)
                .ports
                .iter()
                .filter(|&port| {
                    fabric.link(port).is_some_and(|(_, far)| {
                        let neighbour = fabric.port(far).device;
                        neighbour != device && fabric.device(neighbour).kind == DeviceKind::Switch
                    })
                })
                .collect()
        };
        let links: Vec<PortId> = if up.is_empty() { beside() } else { up };
        let member = |port| fabric.stack_member(port).map(|member| member.id.value);
        let Some(&first) = links.first() else { continue };
        let one = links.iter().all(|&port| member(port) == member(first));
        let Some(lag) = fabric.lag_of(first).filter(|_| one && there > 1) else { continue };
        let Some(id) = member(first) else { continue };
        let settings = fabric.lag(lag);
        if settings.members.len() < 2 {
            continue;
        }
        let name = fabric.device_name(device);
        let place =
            settings.members.get(0).map_or(settings.name.span, |m| fabric.member(m).port.span);
        out.report(
            place,
            format!("all on member {id}"),
            format!("all links from the stack {name} to other switches are on its member {id}"),
        )
        .related(stack.switch.span, format!("{there} members are behind them"))
        .wire(format!(
            "when member {id} fails, {} is down and the whole stack is cut off",
            half_name(fabric, lag)
        ))
        .remedy("put the members of the LAG on different members of the stack")
        .about(device);
    }
}
