use std::collections::BTreeMap;

use crate::fabric::{DeviceId, DeviceKind, PortId};
use crate::rules::{Check, Context, Findings, Rule, Severity, some_of};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "port-mtu-one-sided",
        severity: Severity::Warning,
        summary: "one end of a link has an MTU written, and the other none",
        explain: "A port without an MTU of its own has the one that its device comes with, mostly 1500 bytes. Where the \
              far end is set higher, what is larger is dropped in silence at the end that nobody set. It is told where \
              the device has MTUs written for other ports, so that this one was most likely left out.",
        sources: &["IEEE 802.3 clause 3.2.7"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[49-50] 100G"

[[switch]]
name = "crest-1"
ports = "p[1-4] 100G"

[[port]]
on = "kelp-a"
ports = "p[49-50]"
mtu = 9216

[[port]]
on = "crest-1"
ports = "p[2-4]"
mtu = 9216

[cabling]
runs = "kelp-a p[49-50] -- crest-1 p[1-2]"
"#,
        mend: &[("ports = \"p[2-4]\"", "ports = \"p[1-4]\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let is_switch =
        |port: PortId| fabric.device(fabric.port(port).device).kind == DeviceKind::Switch;
    // The ports of a switch that have none, each with the one at its end that has.
    let mut lacking: BTreeMap<DeviceId, Vec<(PortId, PortId)>> = BTreeMap::new();
    for (_, cable) in fabric.cables() {
        let [a, b] = cable.ends.map(|end| end.value);
        if cx.state.far(a) != Some(b) || !is_switch(a) || !is_switch(b) {
            continue;
        }
        for (near, far) in [(a, b), (b, a)] {
            if fabric.written_mtu(near).is_none() && fabric.written_mtu(far).is_some() {
                lacking.entry(fabric.port(near).device).or_default().push((near, far));
            }
        }
    }
    for (device, ports) in lacking {
        let others = fabric.device(device).ports.iter();
        let Some(usual) =
            others.filter_map(|port| fabric.written_mtu(port)).max_by_key(|mtu| mtu.value)
        else {
            continue;
        };
        let name = fabric.device_name(device);
        let (near, far) = ports[0];
        let labels: Vec<String> =
            ports.iter().map(|&(near, _)| fabric.port_name(near).to_string()).collect();
        let labels: Vec<&str> = labels.iter().map(String::as_str).collect();
        let own = some_of(&labels);
        let Some(theirs) = fabric.written_mtu(far) else { continue };
        let (has, far) = (if ports.len() == 1 { "has" } else { "have" }, fabric.port_label(far));
        let draft = out
            .report(
                fabric.port(near).span.0,
                format!("no MTU for {own}"),
                format!("{name} {own} {has} no MTU, and {far} at the other end takes {} bytes", theirs.value),
            )
            .related(theirs.span, format!("{far} takes {} bytes", theirs.value))
            .wire(format!(
                "{name} {own} {has} the MTU that the device comes with, mostly 1500: what is larger is dropped there, of \
                 up to {} bytes that {far} sends",
                theirs.value
            ))
            .remedy(format!("set {} on {name} {own} too", theirs.value))
            .about(device)
            .about(fabric.port(ports[0].1).device);
        if usual.span != theirs.span {
            draft.related(usual.span, format!("other ports of {name} take {} bytes", usual.value));
        }
    }
}
