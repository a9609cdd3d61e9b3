use std::collections::BTreeMap;

use crate::diagnostic::Span;
use crate::fabric::PortId;
use crate::rules::lag::plug;
use crate::rules::shown::and_more;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-link-miswired",
        severity: Severity::Error,
        summary: "a stack port leads to something else than a stack port of another member",
        explain: "Stack ports speak the stack's own protocol and nothing else. A cable from one to a data port, to \
              another switch or back to the same member joins nothing.",
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
stack_ports = "st[1-2] 1G"
members = [{ id = 1, priority = 300 }, { id = 2, priority = 200 }]

[cabling]
runs = ["jetty 1/st1 -- jetty 2/st2", { run = "jetty 1/st2 -- jetty 2/p1", loopback = true }]
"#,
        mend: &[("2/p1", "2/st1")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, stack) in fabric.stacks() {
        let name = fabric.device_name(stack.switch.value);
        let owner =
            |port: PortId| stack.members.iter().find(|member| member.stack_ports.contains(&port));
        // One run may be many cables.
        let mut of_run: BTreeMap<Span, Vec<(PortId, PortId)>> = BTreeMap::new();
        for member in &stack.members {
            for &port in &member.stack_ports {
                let Some((_, far)) = fabric.link(port) else { continue };
                let other = owner(far);
                if other.is_some_and(|other| other.id.value != member.id.value) {
                    continue;
                }
                // A cable between two stack ports of one member is told once.
                if other.is_some() && far < port {
                    continue;
                }
                let Some(place) = plug(fabric, far) else { continue };
                of_run.entry(place).or_default().push((port, far));
            }
        }
        for (place, cables) in of_run {
            let (port, far) = cables[0];
            let (label, far_label) = (fabric.port_label(port), fabric.port_label(far));
            let what = match owner(far) {
                Some(_) => "a port of the same member",
                None => "no stack port of it",
            };
            let more = and_more(cables.len() - 1);
            out.report(
                place,
                format!("leads to {far_label}"),
                format!("the stack port {label} leads to {far_label}, which is {what}{more}"),
            )
            .related(fabric.port(port).span.0, format!("{name} has its stack ports here"))
            .wire("the cable joins no members: the ring is a chain, or the stack is split")
            .remedy("plug it into a stack port of the next member")
            .about(stack.switch.value);
        }
    }
}
