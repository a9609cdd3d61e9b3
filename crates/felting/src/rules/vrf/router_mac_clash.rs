use rustc_hash::{FxHashMap, FxHashSet};

use crate::diagnostic::Span;
use crate::fabric::{DeviceId, Fabric, Overlay, Pair};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::MacAddr;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-router-mac-clash",
        severity: Severity::Error,
        summary: "two VTEPs have one router MAC address",
        explain: "A routed packet is addressed to the router MAC of the far VTEP. If two have the \
              same one, a VTEP that gets a packet by mistake, or by an anycast address, routes \
              it as its own.",
        sources: &["RFC 9135 section 8.1"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
router_mac = "02:46:00:00:00:21"
differs = [{ on = "kelp-b", router_mac = "02-46-00-00-00-21" }]
"#,
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"
"#
        ),
        mend: &[("02-46-00-00-00-21", "02:46:00:00:00:22")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let routing: FxHashSet<DeviceId> =
        fabric.vrfs().flat_map(|(_, vrf)| vrf.switches.iter().map(|at| at.switch)).collect();
    let mut first: FxHashMap<MacAddr, (DeviceId, Span)> = FxHashMap::default();
    for (_, overlay) in fabric.overlays().filter(|(_, overlay)| routing.contains(&overlay.device)) {
        let mac = overlay.router_mac;
        let &mut (owner, place) = first.entry(mac.value).or_insert((overlay.device, mac.span));
        // Two switches of one MAC address are told as that.
        let own = |device: DeviceId| {
            let pair = fabric.device(device).pair;
            let first = pair.map(|(pair, _)| fabric.pair(pair).sides[0].switch.value);
            fabric.device(first.unwrap_or(device)).mac.value == mac.value
        };
        let paired = fabric.pair_of(owner, overlay.device).is_some();
        if owner == overlay.device
            || paired
            || (own(owner) && own(overlay.device))
            || place == mac.span
        {
            continue;
        }
        let (name, twin) = (fabric.device_name(overlay.device), fabric.device_name(owner));
        out.report(
            mac.span,
            format!("router MAC of {name}"),
            format!("{name} and {twin} have one router MAC address, {}", mac.value),
        )
        .related(place, format!("router MAC of {twin}"))
        .wire("each takes routed packets for the other as its own".to_owned())
        .remedy(
            "give each VTEP its own, or leave `router_mac` out: it is then the switch\u{2019}s"
                .to_owned(),
        )
        .about(overlay.device)
        .about(owner);
    }
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (_, pair) in fabric.pairs() {
        between_sides(fabric, pair, &routing, &mut said, out);
    }
}

/// Packets to the VTEP address that a pair shares come to either side, whichever router MAC address they are for.
fn between_sides(
    fabric: &Fabric,
    pair: &Pair,
    routing: &FxHashSet<DeviceId>,
    said: &mut FxHashSet<Span>,
    out: &mut Findings<'_>,
) {
    let sides = [&pair.sides[0], &pair.sides[1]].map(|side| side.switch.value);
    let [Some(one), Some(other)] = sides.map(|switch| fabric.overlay_of(switch)) else { return };
    let vtep = |overlay: &Overlay| overlay.vtep.map(|vtep| vtep.value);
    let routes = sides.iter().all(|side| routing.contains(side));
    if !routes || vtep(one).is_none() || vtep(one) != vtep(other) {
        return;
    }
    let [a, b] = [one, other].map(|overlay| overlay.router_mac);
    if a.value == b.value {
        return;
    }
    // What is written for one side alone stands later.
    let ((odd, mac), (twin, usual)) = match a.span < b.span {
        true => ((sides[1], b), (sides[0], a)),
        false => ((sides[0], a), (sides[1], b)),
    };
    if !said.insert(mac.span) {
        return;
    }
    let [name, other] = [odd, twin].map(|switch| fabric.device_name(switch));
    out.report(
        mac.span,
        format!("router MAC of {name}"),
        format!(
            "the sides of the pair {} share a VTEP address, and not a router MAC: {} on {name}, {} on {other}",
            pair.name.value, mac.value, usual.value
        ),
    )
    .related(usual.span, format!("router MAC of {other}"))
    .wire("a routed packet that comes to the other side than the one that told its route is for another router there: it is dropped")
    .remedy("write one `router_mac` for both sides, or leave it out: it is then that of the first")
    .about(odd)
    .about(twin);
}
