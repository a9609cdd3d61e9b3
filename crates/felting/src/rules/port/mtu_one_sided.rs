use std::collections::BTreeMap;

use crate::diagnostic::{At, Span};
use crate::fabric::{DeviceId, DeviceKind, PortId};
use crate::rules::{Check, Context, Findings, Rule, Severity, some_of};
use crate::value::Mtu;

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

/// A port without an MTU, and the one at its end that has one.
type Link = (PortId, PortId);

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let is_switch =
        |port: PortId| fabric.device(fabric.port(port).device).kind == DeviceKind::Switch;
    // The ports of a switch that have none, each with the one at its end that has.
    let mut lacking: BTreeMap<DeviceId, Vec<Link>> = BTreeMap::new();
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
    // What is written once for several switches, and leaves a port out, is one fault.
    let mut of_place: BTreeMap<Span, (At<Mtu>, Vec<Link>)> = BTreeMap::new();
    for (device, ports) in lacking {
        let others = fabric.device(device).ports.iter();
        let usual = others.filter_map(|port| fabric.written_mtu(port)).max_by_key(|mtu| mtu.value);
        if let Some(usual) = usual {
            of_place.entry(usual.span).or_insert((usual, Vec::new())).1.extend(ports);
        }
    }
    for (usual, ports) in of_place.into_values() {
        let (near, far) = ports[0];
        let Some(theirs) = fabric.written_mtu(far) else { continue };
        let labels: Vec<String> = ports.iter().map(|&(near, _)| fabric.port_label(near)).collect();
        let labels: Vec<&str> = labels.iter().map(String::as_str).collect();
        let own = some_of(&labels);
        let (has, at) = match ports.len() {
            1 => ("has", "the other end"),
            _ => ("have", "the other end of the first"),
        };
        let far = fabric.port_label(far);
        let draft = out
            .report(
                fabric.port(near).span.0,
                format!("no MTU for {}", fabric.port_name(near)),
                format!("{own} {has} no MTU, and {far} at {at} takes {} bytes", theirs.value),
            )
            .related(theirs.span, format!("{far} takes {} bytes", theirs.value))
            .wire(format!(
                "{own} {has} the MTU that the device comes with, mostly 1500: what is larger is dropped there, of \
                 up to {} bytes that {far} sends",
                theirs.value
            ))
            .remedy(format!("set {} on {own} too", theirs.value));
        let draft = match usual.span == theirs.span {
            true => draft,
            false => {
                let device = fabric.device_name(fabric.port(near).device);
                let text = format!("other ports of {device} take {} bytes", usual.value);
                draft.related(usual.span, text)
            }
        };
        let ends = ports.iter().flat_map(|&(near, far)| [near, far]);
        ends.fold(draft, |draft, end| draft.about(fabric.port(end).device));
    }
}
