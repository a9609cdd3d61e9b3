use rustc_hash::FxHashSet;
use smol_str::SmolStr;

use super::{Odd, Setting, mapped, of_one_pair, report_odd};
use crate::diagnostic::Span;
use crate::fabric::{Fabric, Overlay, PresenceId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Encapsulation;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-udp-port-clash",
        severity: Severity::Error,
        summary: "VTEPs of a segment or VRF use different UDP ports",
        explain: "A VTEP listens on one UDP port. What another sends to a different one is dropped, \
              or answered as unreachable, while sessions, routes and flood lists all look well.",
        sources: &["RFC 7348 section 5"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
differs = [{ on = "kelp-b", udp_port = 8472 }]
"#,
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", udp_port = 8472 }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said = FxHashSet::default();
    for (id, _) in fabric.segments() {
        if of_one_pair(fabric, id) {
            continue;
        }
        let overlay = |presence: PresenceId| fabric.overlay_of(fabric.presence(presence).switch);
        let mut kinds: Vec<Encapsulation> = mapped(cx, id)
            .into_iter()
            .filter_map(|presence| Some(overlay(presence)?.encapsulation.value))
            .collect();
        kinds.sort_unstable();
        kinds.dedup();
        let Some(remedy) = remedy(&kinds) else { continue };
        let settings = mapped(cx, id).into_iter().filter_map(|presence| {
            let overlay = overlay(presence)?;
            let (text, span) =
                (format!("UDP port {}", overlay.udp_port.value), overlay.udp_port.span);
            Some(Setting { presence, span, text })
        });
        let settings: Vec<Setting> = settings.collect();
        let odd = Odd { what: "the UDP port", wire: WIRE, remedy, severity: &|_| None };
        report_odd(cx, out, id, &settings, &odd, &mut said);
    }
    for (_, vrf) in fabric.vrfs() {
        let mapped = vrf.switches.iter().filter(|at| at.vni.is_some());
        let overlays: Vec<&Overlay> =
            mapped.filter_map(|at| fabric.overlay_of(at.switch)).collect();
        report_routed(fabric, &overlays, &vrf.name.value, &mut said, out);
    }
}

const WIRE: &str = "each VTEP drops what the other sends: nothing passes in either direction, though all routes are \
                    there";

/// What to do where VTEPs have these encapsulations. Different ones are told as that; NVGRE is without ports.
fn remedy(kinds: &[Encapsulation]) -> Option<&'static str> {
    match kinds {
        [Encapsulation::Vxlan] => Some("use UDP port 4789 on all VTEPs"),
        [Encapsulation::Geneve] => Some("use UDP port 6081 on all VTEPs"),
        _ => None,
    }
}

/// Reports the VTEPs that have a VRF with others, and not their port.
fn report_routed(
    fabric: &Fabric,
    overlays: &[&Overlay],
    vrf: &SmolStr,
    said: &mut FxHashSet<Span>,
    out: &mut Findings<'_>,
) {
    let mut kinds: Vec<Encapsulation> =
        overlays.iter().map(|overlay| overlay.encapsulation.value).collect();
    kinds.sort_unstable();
    kinds.dedup();
    let Some(remedy) = remedy(&kinds) else { return };
    let count = |port| overlays.iter().filter(|overlay| overlay.udp_port.value == port).count();
    let most = overlays.iter().rev().max_by_key(|overlay| count(overlay.udp_port.value));
    let Some(usual) = most else { return };
    for odd in overlays.iter().filter(|overlay| overlay.udp_port.value != usual.udp_port.value) {
        if !said.insert(odd.udp_port.span) {
            continue;
        }
        let [name, other] = [odd, usual].map(|overlay| fabric.device_name(overlay.device));
        let [own, theirs] = [odd, usual].map(|overlay| overlay.udp_port.value);
        out.report(
            odd.udp_port.span,
            format!("{name}: UDP port {own}"),
            format!("the UDP port of {vrf} differs: UDP port {own} on {name}, UDP port {theirs} on others"),
        )
        .related(usual.udp_port.span, format!("{other}: UDP port {theirs}"))
        .wire(WIRE)
        .remedy(remedy)
        .about(odd.device)
        .about_name(vrf);
    }
}
