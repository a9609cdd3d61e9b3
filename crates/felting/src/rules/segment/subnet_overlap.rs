use std::collections::{BTreeMap, BTreeSet};

use crate::behaviour::gateway::is_gateway;
use crate::diagnostic::At;
use crate::fabric::{DeviceId, Fabric, SegmentId, VrfId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::IpPrefix;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-subnet-overlap",
        severity: Severity::Error,
        summary: "two segments of one routing table have overlapping subnets",
        explain: "In one routing table an address is in one subnet. Where two overlap, packets for \
              an address of both go to one of the segments, and hosts of the other are not \
              found.",
        sources: &["RFC 4632 section 5.1"],
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
gateway = "10.80.31.1"
on = "kelp-*"

[[segment]]
name = "tides-store"
number = 312
vrf = "tides"
vlan = 312
vni = 23312
subnet = "10.80.31.128/25"
gateway = "10.80.31.129"
on = "kelp-*"
"#
        ),
        mend: &[(
            "subnet = \"10.80.31.128/25\"\ngateway = \"10.80.31.129\"",
            "subnet = \"10.80.33.0/25\"\ngateway = \"10.80.33.1\"",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut by_vrf: BTreeMap<Option<VrfId>, Vec<(At<IpPrefix>, SegmentId)>> = BTreeMap::new();
    for (id, segment) in fabric.segments() {
        by_vrf
            .entry(segment.vrf.map(|vrf| vrf.value))
            .or_default()
            .extend(segment.subnets.iter().map(|subnet| (*subnet, id)));
    }
    for (vrf, mut subnets) in by_vrf {
        // Of sorted prefixes each that covers others comes right before them.
        subnets.sort_by_key(|(subnet, _)| subnet.value);
        let mut above: Vec<(At<IpPrefix>, SegmentId)> = Vec::new();
        for (subnet, id) in subnets {
            above.retain(|(larger, _)| larger.covers(&subnet));
            // Without a VRF the two meet in a switch that routes for both.
            let meet =
                above.iter().filter(|(_, other)| *other != id).find_map(|&(larger, other)| {
                    let table = match vrf {
                        Some(vrf) => format!("the VRF {}", fabric.vrf(vrf).name.value),
                        None => {
                            let switch = routes_both(fabric, id, other)?;
                            format!("the routing table of {}", fabric.device_name(switch))
                        }
                    };
                    Some((larger, other, table))
                });
            if let Some((larger, other, table)) = meet {
                let (segment, twin) = (&fabric.segment(id).name, &fabric.segment(other).name);
                let draft = out
                    .report(
                        subnet.span,
                        format!("subnet of {}", segment.value),
                        format!(
                            "{} and {} overlap in {table}: {} and {}",
                            twin.value, segment.value, larger.value, subnet.value
                        ),
                    )
                    .related(larger.span, format!("subnet of {}", twin.value))
                    .wire(format!(
                        "packets for addresses of both go to {}: hosts of the other are not found",
                        segment.value
                    ))
                    .remedy("give each segment a subnet of its own".to_owned())
                    .about_name(&segment.value)
                    .about_name(&twin.value);
                if let Some(vrf) = vrf {
                    draft.about_name(&fabric.vrf(vrf).name.value);
                }
            }
            above.push((subnet, id));
        }
    }
}

/// A switch that routes for both of two segments.
fn routes_both(fabric: &Fabric, one: SegmentId, other: SegmentId) -> Option<DeviceId> {
    let routers = |segment: SegmentId| {
        let presences = fabric.segment(segment).presences.iter();
        let routers = presences.filter(|&presence| is_gateway(fabric, presence));
        routers.map(|presence| fabric.presence(presence).switch)
    };
    let others: BTreeSet<DeviceId> = routers(other).collect();
    routers(one).find(|switch| others.contains(switch))
}
