use rustc_hash::FxHashSet;

use super::on_vteps;
use crate::diagnostic::Span;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-vni-clash",
        severity: Severity::Error,
        summary: "a VRF has different layer 3 VNIs on different switches",
        explain: "A packet that is routed into the fabric wears the layer 3 VNI of the VRF at its \
              sender. A VTEP that has another one for the VRF does not know what to do with it.",
        sources: &["RFC 9135 section 4.1"],
        broken: concat!(
            part!(fabric),
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"
differs = [{ on = "kelp-b", vni = 27009 }]
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", vni = 27009 }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said = FxHashSet::default();
    for (id, vrf) in fabric.vrfs() {
        let all: Vec<(DeviceId, String, Span)> = on_vteps(fabric, id)
            .filter_map(|(_, at)| {
                let (text, span) = {
                    let vni = at.vni?;
                    (format!("VNI {}", vni.value), vni.span)
                };
                Some((at.switch, text, span))
            })
            .collect();
        if all.windows(2).all(|two| two[0].1 == two[1].1) {
            continue;
        }
        let count = |text: &str| all.iter().filter(|one| one.1 == text).count();
        let Some(usual) = all.iter().rev().max_by_key(|one| count(&one.1)) else { continue };
        for (switch, text, span) in all.iter().filter(|one| one.1 != usual.1) {
            if !said.insert(*span) {
                continue;
            }
            let (name, other) = (fabric.device_name(*switch), fabric.device_name(usual.0));
            let instance = |switch: DeviceId| cx.state.evpn().tenant(id, vrf.place_of(switch)?);
            let imports = |one: DeviceId, other: DeviceId| {
                instance(one)
                    .zip(instance(other))
                    .is_some_and(|(one, other)| one.imports(&other.export))
            };
            // The label of a route is what goes on the wire (RFC 8365 section 5.1.3).
            let flows = imports(*switch, usual.0) && imports(usual.0, *switch);
            let wire = match flows {
                true => format!(
                    "packets routed to {name} go with {text}, others with {}: it works, as the route \
                     targets agree, and nobody expects it in a capture",
                    usual.1
                ),
                false => format!(
                    "{name} and {other} have other route targets with it: neither has the routes of \
                     the other, and routing between them stops"
                ),
            };
            let severity = if flows { Severity::Warning } else { Severity::Error };
            out.report(
                *span,
                format!("{name}: {text}"),
                format!("the VRF {} has {text} on {name}, {} on others", vrf.name.value, usual.1),
            )
            .related(
                if usual.2 == *span { vrf.name.span } else { usual.2 },
                format!("{other}: {}", usual.1),
            )
            .severity(severity)
            .wire(wire)
            .remedy("use one layer 3 VNI for the VRF everywhere".to_owned())
            .about(*switch)
            .about_name(&vrf.name.value);
        }
    }
}
