use super::on_vteps;
use crate::behaviour::gateway::irb;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Irb;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-vni-missing",
        severity: Severity::Error,
        summary: "a VRF on several VTEPs has no layer 3 VNI",
        explain: "In symmetric IRB a packet between two leaves travels with the layer 3 VNI of its \
              VRF, by which the far VTEP knows where to route it. Without one, the VRF ends at \
              each leaf.",
        sources: &["RFC 9135 section 4.1"],
        broken: concat!(
            part!(fabric),
            r#"
[[vrf]]
name = "tides"
number = 1
on = "kelp-*"
"#
        ),
        mend: &[("number = 1\non", "number = 1\nvni = 27001\non")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, vrf) in fabric.vrfs() {
        let symmetric: Vec<_> = on_vteps(fabric, id)
            .filter(|(_, at)| irb(fabric, at) == Some(Irb::Symmetric))
            .collect();
        let lacking = symmetric.iter().find(|(_, at)| at.vni.is_none());
        let Some((_, at)) = lacking.filter(|_| symmetric.len() > 1) else { continue };
        let has = symmetric.iter().find_map(|(_, other)| other.vni.map(|vni| (other.switch, vni)));
        let name = fabric.device_name(at.switch);
        let (place, text) = match has {
            Some((other, vni)) => {
                (vni.span, format!("VNI {} on {}", vni.value, fabric.device_name(other)))
            }
            None => (fabric.device(at.switch).name.span, format!("{name} has it, for one")),
        };
        out.report(
            vrf.name.span,
            format!("no layer 3 VNI on {name}"),
            format!("the VRF {} has no layer 3 VNI on {name}", vrf.name.value),
        )
        .related(place, text)
        .wire(format!(
            "packets of {} between subnets that are on different leaves are not delivered",
            vrf.name.value
        ))
        .remedy("give the VRF a `vni`, or a `number` and a pool of `vrf-vnis`".to_owned())
        .about(at.switch)
        .about_name(&vrf.name.value);
    }
}
