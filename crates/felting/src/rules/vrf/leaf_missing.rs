use std::collections::BTreeMap;

use crate::behaviour::gateway::is_gateway_but_for_vrf;
use crate::diagnostic::some_of;
use crate::fabric::{DeviceId, SegmentId, VrfId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-leaf-missing",
        severity: Severity::Error,
        summary: "a switch has the gateway of a segment, and not the VRF that it is in",
        explain: "A gateway routes in the VRF of its segment. On a switch that lacks the VRF it cannot stand: \
              hosts there ask for it and get an answer from elsewhere, or none.",
        sources: &["RFC 9135 section 4", "RFC 4364 section 3"],
        broken: concat!(
            part!(fabric),
            r#"
[[vrf]]
name = "research"
number = 1
vni = 24001
on = "kelp-a"

[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
vrf = "research"
subnet = "10.80.31.0/24"
gateway = "10.80.31.1"
gateway_mac = "02:46:45:00:00:01"
on = "kelp-*"
"#
        ),
        mend: &[("vni = 24001\non = \"kelp-a\"", "vni = 24001\non = \"kelp-*\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut lacking: BTreeMap<VrfId, (Vec<DeviceId>, Vec<SegmentId>)> = BTreeMap::new();
    for (id, presence) in fabric.presences() {
        let Some(vrf) = presence.vrf.filter(|_| is_gateway_but_for_vrf(fabric, id)) else {
            continue;
        };
        // A segment that is in another VRF there is another fault.
        if fabric.segment(presence.segment).vrf.map(|usual| usual.value) != Some(vrf.value) {
            continue;
        }
        let (switches, segments) = lacking.entry(vrf.value).or_default();
        if !switches.contains(&presence.switch) {
            switches.push(presence.switch);
        }
        if segments.last() != Some(&presence.segment) {
            segments.push(presence.segment);
        }
    }
    for (vrf, (switches, segments)) in lacking {
        let vrf = fabric.vrf(vrf);
        let names: Vec<&str> = switches.iter().map(|&switch| fabric.device_name(switch)).collect();
        let (who, does) = (some_of(&names), if names.len() == 1 { "does" } else { "do" });
        let first = fabric.segment(segments[0]);
        let all: Vec<&str> =
            segments.iter().map(|&segment| fabric.segment(segment).name.as_str()).collect();
        let place = first.vrf.map_or(first.name.span, |vrf| vrf.span);
        let draft = out
            .report(
                vrf.on.0,
                format!("not on {who}"),
                format!(
                    "{who} {does} not have the VRF {}, in which the gateway of {} is to be there",
                    vrf.name.value,
                    some_of(&all)
                ),
            )
            .related(place, format!("{} is in it", first.name.value))
            .wire(format!(
                "there is no gateway on {who}: nothing of {} is routed there",
                some_of(&all)
            ))
            .remedy(format!(
                "put the VRF {} on {who}, or say by `gateway_on` where the gateway is",
                vrf.name.value
            ))
            .about_name(&vrf.name.value);
        let draft = switches.iter().fold(draft, |draft, &switch| draft.about(switch));
        segments
            .iter()
            .fold(draft, |draft, &segment| draft.about_name(&fabric.segment(segment).name.value));
    }
}
