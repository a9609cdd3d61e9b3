use rustc_hash::FxHashSet;

use crate::behaviour::carrier::leaves;
use crate::diagnostic::{At, Span};
use crate::fabric::{DeviceId, PortId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{VlanId, VlanSet};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "port-untagged-also-tagged",
        severity: Severity::Warning,
        summary: "a port has a VLAN untagged and tagged at once",
        explain: "A bridge sends the frames of a VLAN by a port either with its tag or without: the untagged set of a VLAN \
              is a part of the ports that are in it. Written as both, it is sent in one way, and the other statement misleads \
              whoever sets the other end by it.",
        sources: &["IEEE 802.1Q clause 8.8.2 (the untagged set)", "IEEE 802.1Q clause 8.8.10"],
        broken: r#"
[[switch]]
name = "mud-[1-2]"
ports = "p[1-2] 1G"

[[port]]
on = "mud-*"
ports = "p1"
tagged = "420-421"
untagged = 420

[cabling]
runs = "mud-1 p1 -- mud-2 p1"
"#,
        mend: &[("tagged = \"420-421\"", "tagged = 421")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    let ports = fabric.ports().filter_map(|(id, port)| {
        let own = fabric.settings_of(id).filter(|_| fabric.lag_of(id).is_none())?;
        Some((port.device, id, fabric.port_label(id), &own.tagged, own.untagged?))
    });
    let lags = fabric.lags().filter_map(|(id, lag)| {
        let first = fabric.member(lag.members.get(0)?).port.value;
        Some((
            lag.device,
            first,
            format!("the LAG {}", fabric.lag_label(id)),
            &lag.tagged,
            lag.untagged?,
        ))
    });
    for (device, port, name, tagged, untagged) in ports.chain(lags) {
        // What the other end, or the other half, makes of it is told there.
        let told = || cx.found().any(|finding| finding.what.primary.span == untagged.span);
        if tagged.value.contains(untagged.value) && !told() && said.insert(untagged.span) {
            report(cx, (device, port, &name), tagged, untagged, out);
        }
    }
}

fn report(
    cx: &Context<'_>,
    (device, port, name): (DeviceId, PortId, &str),
    tagged: &At<VlanSet>,
    untagged: At<VlanId>,
    out: &mut Findings<'_>,
) {
    let vlan = untagged.value;
    out.report(
        untagged.span,
        format!("VLAN {vlan} untagged"),
        format!("{name} has VLAN {vlan} untagged and tagged at once"),
    )
    .related(tagged.span, format!("and among {}", tagged.value))
    .wire(match leaves(cx.fabric, port, vlan) {
        Some(None) => format!(
            "frames of VLAN {vlan} leave without a tag: who expects them tagged there drops them"
        ),
        _ => format!(
            "frames of VLAN {vlan} leave with its tag: who expects them untagged there drops them"
        ),
    })
    .remedy(format!("leave VLAN {vlan} in one of `tagged` and `untagged`, as the other end has it"))
    .about(device);
}
