use std::collections::BTreeMap;

use super::port_name;
use crate::behaviour::Carrier;
use crate::diagnostic::At;
use crate::fabric::{DeviceId, DeviceKind, PortId};
use crate::rules::{Check, Context, Findings, Rule, Severity, some_of};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tree-edge-missing",
        severity: Severity::Hint,
        summary: "a port to a host is no edge port, while others of its switch are",
        explain: "A bridge proposes on a port and waits for an answer before it forwards there. A host sends none. A bridge \
              that finds edges by itself (AutoEdge) forwards after three seconds in which it hears no BPDU; one that \
              doesn't goes through two forward delays, 30 seconds by default, each time the link comes up: long enough \
              for a host's start over the network, or its first address by DHCP, to fail. An edge port forwards at once, \
              and what is learned at it stays when the tree changes.",
        sources: &["IEEE 802.1Q clause 13 (AdminEdge, AutoEdge, Bridge Forward Delay)"],
        broken: r#"
[[switch]]
name = "jetty"
ports = "p[1-4] 1G"

[[host]]
name = "bench-[1-4]"
nics = "nic1 1G"
networks = [{ name = "bench" }]

[[port]]
on = "jetty"
ports = "p[1-3]"
untagged = 420
edge = true

[[port]]
on = "jetty"
ports = "p4"
untagged = 420

[[tree]]
on = "jetty"
priority = 4096

[[accept]]
rule = "uplink-single-nic"
on = "bench-*"
reason = "Benches have one NIC"

[cabling]
runs = "bench-[1-4] nic1 -- jetty p[1-4]"
"#,
        mend: &[(
            "ports = \"p4\"\nuntagged = 420\n",
            "ports = \"p4\"\nuntagged = 420\nedge = true\n",
        )],
    },
    check,
};

/// A port: whether it is an edge port, and its name.
type Port = (At<bool>, String);

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let (fabric, trees) = (cx.fabric, cx.state.trees());
    let leads_to_host = |port: PortId| {
        let far = cx.state.far(port).map(|far| fabric.port(far).device);
        far.is_some_and(|far| fabric.device(far).kind == DeviceKind::Host)
    };
    // Of each switch, its ports to hosts by what is written of them, LAGs apart.
    let mut of_switch: BTreeMap<(DeviceId, bool), Vec<Port>> = BTreeMap::new();
    for (id, port) in trees.ports().filter(|(_, port)| port.runs && port.linked) {
        let physical = trees.carrier_ports(fabric, id);
        if physical.is_empty() || !physical.iter().all(|&port| leads_to_host(port)) {
            continue;
        }
        let edge = match port.carrier {
            Carrier::Port(port) => fabric.settings_of(port).map(|own| own.tree.edge),
            Carrier::Lag(lag) => Some(fabric.lag(lag).tree.edge),
            // What the halves of a group differ in is told as that.
            Carrier::Group(_) => None,
        };
        if let Some(edge) = edge {
            let device = fabric.port(physical[0]).device;
            let is_lag = matches!(port.carrier, Carrier::Lag(_));
            of_switch.entry((device, is_lag)).or_default().push((edge, port_name(cx, id)));
        }
    }
    for ((device, _), ports) in of_switch {
        let Some((known, _)) = ports.iter().find(|(edge, _)| edge.value) else { continue };
        let without: Vec<&Port> = ports.iter().filter(|(edge, _)| !edge.value).collect();
        // Where they are no few exceptions, nobody knows which are meant.
        if without.is_empty() || without.len() * 4 > ports.len() {
            continue;
        }
        let names: Vec<&str> = without.iter().map(|(_, name)| name.as_str()).collect();
        let (names, is_one) = (some_of(&names), without.len() == 1);
        let (lead, are) =
            if is_one { ("leads", "is no edge port") } else { ("lead", "are no edge ports") };
        let host = if is_one { "a host" } else { "hosts" };
        out.report(
            without[0].0.span,
            "no edge port",
            format!("{names} {lead} to {host} and {are}, while others of {} are", fabric.device_name(device)),
        )
        .related(known.span, "an edge port")
        .wire(format!(
            "each time a link of {names} comes up nothing passes for some seconds, and for two forward delays, 30 seconds \
             by default, where the switch does not find out by itself that no bridge is there"
        ))
        .remedy("set `edge = true` there too".to_owned())
        .about(device);
    }
}
