use std::collections::BTreeMap;

use super::{gateways, mapped};
use crate::behaviour::gateway::is_gateway_but_for_vrf;
use crate::diagnostic::{Span, some_of};
use crate::fabric::{DeviceId, PresenceId, Segment, SegmentId};
use crate::rules::check::Draft;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::GatewayKind;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-gateway-missing",
        severity: Severity::Warning,
        summary: "a segment of a VRF has a subnet, but no gateway, or one of its VTEPs has not what the others have",
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
    for (id, segment) in cx.fabric.segments() {
        let found = gateways(cx.fabric, id);
        match found.is_empty() {
            true => nowhere(cx, id, segment, out),
            false => {
                of_one_version(cx, segment, &found, out);
                on_one(cx, id, &found, out);
            }
        }
    }
}

/// A segment that has no gateway on any switch.
fn nowhere(cx: &Context<'_>, id: SegmentId, segment: &Segment, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // That a switch lacks the VRF is another fault.
    if segment.presences.iter().any(|presence| is_gateway_but_for_vrf(fabric, presence)) {
        return;
    }
    let name = &segment.name;
    let vrf = segment.vrf.map(|vrf| (vrf, &fabric.vrf(vrf.value).name));
    let misplaced = segment.gateways.first().filter(|_| !segment.gateway_on.is_empty());
    if let Some(gateway) = misplaced {
        let names: Vec<&str> =
            segment.gateway_on.iter().map(|&switch| fabric.device_name(switch)).collect();
        let on = some_of(&names);
        let have = if names.len() == 1 { "does" } else { "do" };
        let draft = out
            .report(
                gateway.span,
                format!("on {on}"),
                format!(
                    "the gateway of {} is to be on {on}, which {have} not have the segment",
                    name.value
                ),
            )
            .related(name.span, "not on that switch")
            .wire(format!("hosts of {} reach nobody outside their segment", name.value))
            .remedy(format!(
                "put {} on {on} (`on`), or its gateway where the segment is",
                name.value
            ))
            .about_name(&name.value);
        segment.gateway_on.iter().fold(draft, |draft, &switch| draft.about(switch));
        return;
    }
    let (Some((vrf, vrf_name)), Some(subnet)) = (vrf, segment.subnets.first()) else { return };
    let led_out = fabric.outsides().any(|(_, outside)| {
        outside.vrf.value == vrf.value && outside.prefixes.iter().any(|p| p.value == subnet.value)
    });
    if mapped(cx, id).is_empty() || led_out {
        return;
    }
    let (place, text) = match segment.gateways.first() {
        Some(gateway) => (gateway.span, "on no switch that has the segment and the VRF"),
        None => (name.span, "no gateway"),
    };
    out.report(
        place,
        text,
        format!("{} is in the VRF {}, but has no gateway anywhere", name.value, vrf_name.value),
    )
    .related(vrf.span, format!("in the VRF {}", vrf_name.value))
    .wire(format!("hosts of {} reach nobody outside their segment", name.value))
    .remedy("give the segment a `gateway`, or take it out of the VRF")
    .about_name(&name.value)
    .about_name(&vrf_name.value);
}

/// VTEPs at which the gateway that the others have is taken out.
fn on_one(
    cx: &Context<'_>,
    id: SegmentId,
    found: &[(PresenceId, GatewayKind)],
    out: &mut Findings<'_>,
) {
    let fabric = cx.fabric;
    let segment = fabric.segment(id);
    let [.., (other, GatewayKind::Anycast)] = found else { return };
    let has = |switch: DeviceId| {
        found.iter().any(|&(presence, _)| fabric.presence(presence).switch == switch)
    };
    let mut lacking: BTreeMap<Span, Vec<DeviceId>> = BTreeMap::new();
    for presence in mapped(cx, id) {
        let (at, place) = (fabric.presence(presence), fabric.settings_at(presence).no_gateway_at);
        let Some(place) = place.filter(|_| at.vrf.is_some() && !has(at.switch)) else { continue };
        // Of the sides of a pair that differ it is told as that.
        let twin = fabric
            .device(at.switch)
            .pair
            .map(|(pair, side)| fabric.pair(pair).sides[1 - side].switch.value);
        if !twin.is_some_and(has) {
            lacking.entry(place.0).or_default().push(at.switch);
        }
    }
    for (place, switches) in lacking {
        let names: Vec<&str> = switches.iter().map(|&one| fabric.device_name(one)).collect();
        let (who, name) = (some_of(&names), &segment.name.value);
        let does = if names.len() == 1 { "does" } else { "do" };
        let there = fabric.device_name(fabric.presence(*other).switch);
        let gateway = segment.gateways.first().map_or(segment.name.span, |gateway| gateway.span);
        let draft = out
            .report(
                place,
                format!("{who}: no gateway"),
                format!("{who} {does} not have the gateway of {name}, as other VTEPs of it do"),
            )
            .related(gateway, format!("{there} has it, for one"))
            .wire(format!(
                "what hosts of {name} there send to other subnets goes over the fabric to the gateway of another VTEP"
            ))
            .remedy(format!(
                "give {who} the gateway too; where it is to be on some only, say so by `gateway_on`"
            ))
            .about_name(name);
        switches.into_iter().fold(draft, Draft::about);
    }
}

/// A segment with subnets of both IP versions and a gateway of one.
fn of_one_version(
    cx: &Context<'_>,
    segment: &Segment,
    found: &[(PresenceId, GatewayKind)],
    out: &mut Findings<'_>,
) {
    let fabric = cx.fabric;
    let has = |is_ipv4: bool| {
        found.iter().any(|&(presence, _)| {
            let settings = fabric.settings_at(presence);
            let own = settings.addresses.iter().map(|address| address.address());
            let mut all = settings.gateways.iter().map(|gateway| gateway.value).chain(own);
            all.any(|address| address.is_ipv4() == is_ipv4)
        })
    };
    for (is_ipv4, version) in [(true, "IPv4"), (false, "IPv6")] {
        let subnet = segment.subnets.iter().find(|subnet| subnet.address().is_ipv4() == is_ipv4);
        let Some(subnet) = subnet.filter(|_| !has(is_ipv4)) else { continue };
        let name = &segment.name;
        let other = segment.gateways.first().map_or(name.span, |gateway| gateway.span);
        let draft = out
            .report(
                subnet.span,
                format!("no {version} gateway"),
                format!(
                    "{} has the subnet {}, but no {version} gateway anywhere",
                    name.value, subnet.value
                ),
            )
            .related(other, "its gateway is of the other version")
            .wire(format!(
                "hosts of {} reach nobody outside their segment by {version}",
                name.value
            ))
            .remedy(format!(
                "add an address of {} to `gateway`, or take the subnet out",
                subnet.value
            ))
            .about_name(&name.value);
        if let Some(vrf) = segment.vrf {
            draft.about_name(&fabric.vrf(vrf.value).name.value);
        }
    }
}
