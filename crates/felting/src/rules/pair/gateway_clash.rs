use rustc_hash::FxHashSet;

use crate::behaviour::gateway::{gateway_mac, is_gateway, is_gateway_but_for_vrf};
use crate::diagnostic::Span;
use crate::fabric::{PresenceId, SegmentId, SegmentSettings};
use crate::rules::segment::{gateways, of_one_pair};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::GatewayKind;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-gateway-clash",
        severity: Severity::Error,
        summary: "a gateway differs between the two sides of a pair",
        explain: "Hosts hash their frames over both sides, and keep one gateway address and its MAC. \
              If a side has another one, every other flow goes to a gateway that is not there.",
        sources: &["RFC 9135 section 4.1"],
        broken: concat!(
            part!(pair),
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
[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[51-52]"
tagged = "310,3900"

[[interface]]
on = "kelp-a"
vlan = 3900
address = "10.64.3.0/31"

[[interface]]
on = "kelp-b"
vlan = 3900
address = "10.64.3.1/31"
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
differs = [{ on = "kelp-b", gateway = "10.80.31.2" }]
"#,
            r#"
[[accept]]
rule = "segment-single-vtep"
on = "tides-web"
reason = "an example"
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", gateway = \"10.80.31.2\" }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (id, segment) in fabric.segments() {
        let all: Vec<PresenceId> = gateways(fabric, id)
            .into_iter()
            .filter(|(_, kind)| *kind == GatewayKind::Anycast)
            .map(|(p, _)| p)
            .collect();
        let (true, &[one, other]) = (of_one_pair(fabric, id), &all[..]) else { continue };
        let (a, b) = (fabric.settings_at(one), fabric.settings_at(other));
        let list = |settings: &SegmentSettings| {
            settings
                .gateways
                .iter()
                .map(|gateway| gateway.value.to_string())
                .collect::<Vec<_>>()
                .join(", ")
        };
        let switch = |presence: PresenceId| fabric.presence(presence).switch;
        let mac = |presence: PresenceId| gateway_mac(fabric, presence);
        let span = |settings: &SegmentSettings| {
            settings.gateways.first().map_or(segment.name.span, |gateway| gateway.span)
        };
        let (what, (first, x), (second, y)) = if list(a) != list(b) {
            ("gateway", (list(a), span(a)), (list(b), span(b)))
        } else if mac(one).map(|mac| mac.value) != mac(other).map(|mac| mac.value) {
            let told = |presence| {
                mac(presence).map_or_else(
                    || ("its own".to_owned(), segment.name.span),
                    |mac| (mac.value.to_string(), mac.span),
                )
            };
            ("gateway MAC address", told(one), told(other))
        } else {
            continue;
        };
        if !said.insert(y) {
            continue;
        }
        let (here, there) = (fabric.device_name(switch(one)), fabric.device_name(switch(other)));
        out.report(
            y,
            format!("{there}: {second}"),
            format!(
                "the {what} of {} differs between the sides of a pair: {first} on \
                 {here}, {second} on {there}",
                segment.name.value
            ),
        )
        .related(if x == y { segment.name.span } else { x }, format!("{here}: {first}"))
        .wire("frames to the gateway that hash to the other side find nobody there".to_owned())
        .remedy("set the gateway alike on both sides".to_owned())
        .about(switch(one))
        .about(switch(other))
        .about_name(&segment.name.value);
    }
    for (id, _) in fabric.segments() {
        one_sided(cx, id, &mut said, out);
    }
}

/// A segment on both sides of a pair whose anycast gateway is on one of them alone.
fn one_sided(cx: &Context<'_>, id: SegmentId, said: &mut FxHashSet<Span>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let segment = fabric.segment(id);
    for has in segment.presences.iter().filter(|&presence| is_gateway(fabric, presence)) {
        let on = fabric.presence(has).switch;
        let Some((pair, side)) = fabric.device(on).pair else { continue };
        let other = fabric.pair(pair).sides[1 - side].switch.value;
        let Some(lacks) = fabric.presence_of(id, other) else { continue };
        let anycast = fabric.settings_at(has).gateway_kind.value == GatewayKind::Anycast;
        // That a side lacks the VRF, or is no VTEP, is another fault.
        let told = is_gateway(fabric, lacks)
            || is_gateway_but_for_vrf(fabric, lacks)
            || (fabric.overlay_of(other).is_none() && fabric.overlay_of(on).is_some());
        if !anycast || told || fabric.presence(lacks).vrf.is_none() {
            continue;
        }
        let written = fabric.settings_at(has).gateways.first();
        let Some(gateway) = written else { continue };
        let taken_out = fabric.settings_at(lacks).no_gateway_at;
        let place = taken_out.or(segment.gateway_on_at).map_or(gateway.span, |place| place.0);
        if !said.insert(place) {
            continue;
        }
        let [name, there] = [on, other].map(|switch| fabric.device_name(switch));
        let of = &segment.name.value;
        out.report(
            place,
            format!("on {name}, and not on {there}"),
            format!("the gateway {} of {of} is on {name} alone, of the two sides of a pair", gateway.value),
        )
        .related(
            if place == gateway.span { segment.name.span } else { gateway.span },
            format!("the gateway of {of}"),
        )
        .wire(format!(
            "what other VTEPs send to the pair for {of} comes to either side: {there} has no route of its own to it, and \
             sends it back or drops it"
        ))
        .remedy(format!("put the gateway on {there} too, or on neither side"))
        .about(on)
        .about(other)
        .about_name(of);
    }
}
