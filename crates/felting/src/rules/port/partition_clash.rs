use crate::behaviour::Entity;
use crate::diagnostic::Span;
use crate::fabric::{Fabric, PortId};
use crate::rules::lag::half_name;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "port-partition-clash",
        severity: Severity::Error,
        summary: "ports of different partitions of one switch are used as one",
        explain: "A switch that is divided into partitions is several switches in one box: they share \
              nothing but the case. Ports of two of them are no more one LAG than ports of two boxes.",
        sources: &["trade practice: no standard divides a switch"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[port]]
on = "kelp-a"
ports = "p1"
partition = "hall"

[[port]]
on = "kelp-a"
ports = "p2"
partition = "workshop"

[[lag]]
on = "kelp-a"
name = "hull-01"
ports = "p[1-2]"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[("partition = \"workshop\"", "partition = \"hall\"")],
    },
    check,
};

/// The partition of a port, in words, and where it is written.
fn partition(fabric: &Fabric, port: PortId) -> (String, Span) {
    let settings = fabric.settings_of(port);
    let label = fabric.port_name(port);
    match settings.and_then(|settings| settings.partition.as_ref()) {
        Some(name) => (format!("{label} is in the partition {}", name.value), name.span),
        None => (format!("{label} is in no partition"), fabric.port(port).span.0),
    }
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Lag(id) = cause.entity else { continue };
        let lag = fabric.lag(id);
        let ports: Vec<_> =
            lag.members.iter().map(|member| fabric.member(member).port.value).collect();
        let name = |port: PortId| {
            let settings = fabric.settings_of(port)?;
            settings.partition.as_ref().map(|name| name.value.clone())
        };
        let Some(&first) = ports.first() else { continue };
        let Some(&other) = ports.iter().find(|&&port| name(port) != name(first)) else { continue };
        let ((first_text, first_place), (text, place)) =
            (partition(fabric, first), partition(fabric, other));
        let whole = half_name(fabric, id);
        out.report(
            place,
            text.clone(),
            format!("{whole} joins ports of different partitions: {first_text}, {text}"),
        )
        .related(first_place, first_text)
        .wire(format!(
            "the switch does not take {} into the LAG: it works with the members of the first partition",
            fabric.port_name(other)
        ))
        .remedy("use ports of one partition, or put the port into the same one")
        .about(lag.device);
    }
}
