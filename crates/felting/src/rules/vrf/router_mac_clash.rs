use rustc_hash::{FxHashMap, FxHashSet};

use crate::diagnostic::Span;
use crate::fabric::DeviceId;
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
}
