use crate::behaviour::Entity;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-port-carries-data",
        severity: Severity::Error,
        summary: "a stack port carries VLANs, or is in a LAG",
        explain: "A stack port speaks the stack's own protocol and carries no VLANs: what is configured on it does \
              nothing, or takes the stack link away.",
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

[[port]]
on = "jetty"
ports = "2/st2"
tagged = 420

[cabling]
runs = ["jetty 1/st[1-2] -- jetty 2/st[2,1]"]
"#,
        mend: &[("ports = \"2/st2\"", "ports = \"2/p2\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Port(port) = cause.entity else { continue };
        let in_lag = fabric.port_member[port].map(|member| fabric.member(member));
        let carried =
            fabric.settings_of(port).and_then(|own| match (own.tagged.is_empty(), own.untagged) {
                (false, _) => Some((own.tagged.span, format!("carries VLAN {}", own.tagged.value))),
                (true, Some(vlan)) => {
                    Some((vlan.span, format!("carries VLAN {} untagged", vlan.value)))
                }
                (true, None) => None,
            });
        let in_lag = in_lag.map(|member| {
            let lag = &fabric.lag(member.lag).name.value;
            (member.port.span, format!("is a member of {lag}"))
        });
        let Some((place, what)) = in_lag.or(carried) else { continue };
        let label = fabric.port_label(port);
        out.report(place, what.clone(), format!("the stack port {label} {what}"))
            .related(
                fabric.port(port).span.0,
                format!("{} is a stack port", fabric.port_name(port)),
            )
            .wire("the settings do nothing, or the stack loses the link")
            .remedy("use another port for data, or take the port out of `stack_ports`")
            .about(fabric.port(port).device);
    }
}
