use super::{gateways, mapped};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-gateway-missing",
        severity: Severity::Warning,
        summary: "a segment of a VRF has a subnet, but no gateway",
        explain: "A VRF routes between its segments by their gateways. A segment without one, or \
              whose gateway is on no switch that has the segment and the VRF, is reached by no \
              other.",
        sources: &["RFC 9135 section 4"],
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
on = "kelp-*"
"#
        ),
        mend: &[(
            "subnet = \"10.80.31.0/24\"\n",
            "subnet = \"10.80.31.0/24\"\ngateway = \"10.80.31.1\"\n",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, segment) in fabric.segments() {
        let (Some(vrf), Some(subnet)) = (segment.vrf, segment.subnets.first()) else { continue };
        let led_out = fabric.outsides().any(|(_, outside)| {
            outside.vrf.value == vrf.value
                && outside.prefixes.iter().any(|p| p.value == subnet.value)
        });
        if mapped(cx, id).is_empty() || !gateways(fabric, id).is_empty() || led_out {
            continue;
        }
        let name = &fabric.vrf(vrf.value).name;
        let (place, text) = match segment.gateways.first() {
            Some(gateway) => (gateway.span, "on no switch that has the segment and the VRF"),
            None => (segment.name.span, "no gateway"),
        };
        out.report(
            place,
            text,
            format!(
                "{} is in the VRF {}, but has no gateway anywhere",
                segment.name.value, name.value
            ),
        )
        .related(vrf.span, format!("in the VRF {}", name.value))
        .wire(format!("hosts of {} reach nobody outside their segment", segment.name.value))
        .remedy("give the segment a `gateway`, or take it out of the VRF".to_owned())
        .about_name(&segment.name.value)
        .about_name(&name.value);
    }
}
