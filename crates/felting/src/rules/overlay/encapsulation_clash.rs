use rustc_hash::FxHashSet;
use smol_str::SmolStr;

use crate::diagnostic::Span;
use crate::fabric::{Fabric, Overlay};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-encapsulation-clash",
        severity: Severity::Error,
        summary: "VTEPs of one segment or VRF use different encapsulations",
        explain: "A route says which encapsulation its VTEP takes. A VTEP that does not know that \
              one leaves the route out.",
        sources: &["RFC 8365 section 5.1.3", "RFC 9012 section 4.1"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            part!(segment),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
differs = [{ on = "kelp-b", encapsulation = "geneve" }]
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", encapsulation = \"geneve\" }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (_, segment) in fabric.segments() {
        let presences = segment.presences.iter().map(|presence| fabric.presence(presence));
        let mapped = presences.filter(|presence| presence.vni.is_some());
        let overlays: Vec<&Overlay> =
            mapped.filter_map(|presence| fabric.overlay_of(presence.switch)).collect();
        report_odd(fabric, &overlays, &segment.name.value, &mut said, out);
    }
    // VTEPs may have a VRF alone in common.
    for (_, vrf) in fabric.vrfs() {
        let mapped = vrf.switches.iter().filter(|at| at.vni.is_some());
        let overlays: Vec<&Overlay> =
            mapped.filter_map(|at| fabric.overlay_of(at.switch)).collect();
        report_odd(fabric, &overlays, &vrf.name.value, &mut said, out);
    }
}

/// Reports the VTEPs of a segment or VRF whose encapsulation is not that of most.
fn report_odd(
    fabric: &Fabric,
    overlays: &[&Overlay],
    of: &SmolStr,
    said: &mut FxHashSet<Span>,
    out: &mut Findings<'_>,
) {
    if overlays.windows(2).all(|two| two[0].encapsulation.value == two[1].encapsulation.value) {
        return;
    }
    let Some(usual) = most(overlays) else { return };
    for overlay in
        overlays.iter().filter(|overlay| overlay.encapsulation.value != usual.encapsulation.value)
    {
        if !said.insert(overlay.encapsulation.span) {
            continue;
        }
        let (name, other) = (fabric.device_name(overlay.device), fabric.device_name(usual.device));
        let (theirs, own) = (usual.encapsulation.value, overlay.encapsulation.value);
        out.report(
            overlay.encapsulation.span,
            format!("{name} uses {own}"),
            format!("{name} uses {own}, other VTEPs of {of} use {theirs}"),
        )
        .related(usual.encapsulation.span, format!("{other} uses {theirs}"))
        .wire(format!(
            "{name} and the others leave each other\u{2019}s routes out: {of} is cut in two"
        ))
        .remedy(format!("use {theirs} on {name} too"))
        .about(overlay.device)
        .about_name(of);
    }
}

/// A VTEP with the encapsulation that most have.
fn most<'a>(overlays: &[&'a Overlay]) -> Option<&'a Overlay> {
    let count =
        |value| overlays.iter().filter(|overlay| overlay.encapsulation.value == value).count();
    overlays.iter().copied().rev().max_by_key(|overlay| count(overlay.encapsulation.value))
}
