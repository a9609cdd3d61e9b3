use std::collections::BTreeMap;

use crate::diagnostic::{At, Span};
use crate::fabric::{DeviceId, PortId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Mtu;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "port-mtu-unsupported",
        severity: Severity::Error,
        summary: "a port is set to a larger MTU than its hardware takes",
        explain: "A device refuses an MTU beyond what its hardware takes, or takes it and drops what is larger than it can \
              hold. Either way the port stays below what the other end was set to.",
        sources: &["IEEE 802.3 clause 3.2.7"],
        broken: r#"
[[hardware]]
name = "gull-24"
ports = "p[1-24] 25G"
mtu = 9000

[[switch]]
name = "kelp-a"
hardware = "gull-24"

[[port]]
on = "kelp-a"
ports = "p[1-4]"
mtu = 9216
"#,
        mend: &[("mtu = 9216", "mtu = 9000")],
    },
    check,
};

/// A port with its device, what is set on it, and what its hardware takes.
type Set = (DeviceId, PortId, At<Mtu>, At<Mtu>);

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let all = fabric.devices().flat_map(|(device, made)| {
        let most = fabric.hardware_mtu(device);
        let own = move |port: PortId| {
            let written = fabric.written_mtu(port)?;
            let most = most.filter(|most| written.value > most.value)?;
            Some((device, port, written, most))
        };
        made.ports.iter().filter_map(own)
    });
    // One largest MTU that is too small for many ports is one fault.
    let mut of_place: BTreeMap<Span, (Set, usize)> = BTreeMap::new();
    for set in all {
        of_place.entry(set.2.span).or_insert((set, 0)).1 += 1;
    }
    for ((device, port, written, most), count) in of_place.into_values() {
        let more = match count {
            1 => String::new(),
            2 => ", as is one more port".to_owned(),
            many => format!(", as are {} more ports", many - 1),
        };
        let (label, kind) = (fabric.port_label(port), fabric.hardware_of(device));
        let kind = kind.map_or("its hardware", |kind| kind.name.value.as_str());
        let (set, most_bytes) = (written.value, most.value);
        out.report(
            written.span,
            format!("{label} is to take {set} bytes"),
            format!(
                "{label} is set to an MTU of {set}{more}, and {kind} takes {most_bytes} at most"
            ),
        )
        .related(most.span, format!("{kind} takes no more"))
        .wire(format!(
            "frames of more than {most_bytes} bytes are dropped at {label}, whatever is set there"
        ))
        .remedy(format!("set {most_bytes} at both ends of its link, or mend `mtu` of {kind}"))
        .about(device);
    }
}
