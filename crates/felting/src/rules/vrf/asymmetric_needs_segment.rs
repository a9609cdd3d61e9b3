use rustc_hash::{FxHashMap, FxHashSet};

use super::on_vteps;
use crate::behaviour::gateway::irb;
use crate::fabric::{SegmentId, VrfId};
use crate::rules::segment::gateways;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Irb;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-asymmetric-needs-segment",
        severity: Severity::Error,
        summary: "a leaf with asymmetric IRB lacks a segment of its VRF",
        explain: "In asymmetric IRB the first leaf routes a packet straight into the far segment, so \
              it must have every segment of the VRF, whether it has hosts of it or not.",
        sources: &["RFC 9135 section 4.2"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
gateway_mac = "02:46:00:00:00:01"
irb = "asymmetric"
"#,
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"

[[segment]]
name = "tides-web"
number = 310
vrf = "tides"
vlan = 310
vni = 23310
subnet = "10.80.31.0/24"
gateway = "10.80.31.1"
on = "kelp-*"
"#,
            r#"
[[segment]]
name = "tides-store"
number = 312
vrf = "tides"
vlan = 312
vni = 23312
subnet = "10.80.33.0/24"
gateway = "10.80.33.1"
on = "kelp-a"
"#,
            r#"
[[accept]]
rule = "segment-single-vtep"
on = "tides-store"
reason = "an example"
"#
        ),
        mend: &[
            (
                "gateway = \"10.80.33.1\"\non = \"kelp-a\"",
                "gateway = \"10.80.33.1\"\non = \"kelp-*\"",
            ),
            (
                "\n[[accept]]\nrule = \"segment-single-vtep\"\non = \"tides-store\"\nreason = \"an example\"\n",
                "",
            ),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut segments: FxHashMap<VrfId, Vec<SegmentId>> = FxHashMap::default();
    for (id, segment) in fabric.segments() {
        if let Some(vrf) = segment.vrf.filter(|_| !gateways(fabric, id).is_empty()) {
            segments.entry(vrf.value).or_default().push(id);
        }
    }
    for (id, vrf) in fabric.vrfs() {
        let own = segments.get(&id).map_or(&[][..], Vec::as_slice);
        for (_, at) in
            on_vteps(fabric, id).filter(|(_, at)| irb(fabric, at) == Some(Irb::Asymmetric))
        {
            let here: FxHashSet<SegmentId> = fabric
                .presences_on(at.switch)
                .iter()
                .map(|&p| fabric.presence(p).segment)
                .collect();
            let routes = own.iter().any(|segment| here.contains(segment));
            let lacking: Vec<SegmentId> =
                own.iter().copied().filter(|segment| !here.contains(segment)).collect();
            let Some(&first) = lacking.first().filter(|_| routes) else { continue };
            let names: Vec<&str> =
                lacking.iter().map(|&segment| fabric.segment(segment).name.as_str()).collect();
            let (name, names) = (fabric.device_name(at.switch), crate::diagnostic::some_of(&names));
            let Some(overlay) = fabric.overlay_of(at.switch) else { continue };
            let segment = &fabric.segment(first).name;
            out.report(
                segment.span,
                format!("not on {name}"),
                format!(
                    "{name} routes {} asymmetrically, but does not have {names}",
                    vrf.name.value
                ),
            )
            .related(at.irb.unwrap_or(overlay.irb).span, format!("asymmetric on {name}"))
            .wire(format!("packets from hosts at {name} to {names} are not delivered"))
            .remedy(format!("put {names} on {name} too, or route symmetrically"))
            .about(at.switch)
            .about_name(&vrf.name.value)
            .about_name(&segment.value);
        }
    }
}
