use rustc_hash::FxHashSet;

use crate::diagnostic::Span;
use crate::fabric::Overlay;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-encapsulation-clash",
        severity: Severity::Error,
        summary: "VTEPs of one segment use different encapsulations",
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
        let overlays: Vec<&Overlay> = segment
            .presences
            .iter()
            .map(|presence| fabric.presence(presence))
            .filter(|presence| presence.vni.is_some())
            .filter_map(|presence| fabric.overlay_of(presence.switch))
            .collect();
        if overlays.windows(2).all(|two| two[0].encapsulation.value == two[1].encapsulation.value) {
            continue;
        }
        let Some(usual) = most(&overlays) else { continue };
        for overlay in overlays
            .iter()
            .filter(|overlay| overlay.encapsulation.value != usual.encapsulation.value)
        {
            if !said.insert(overlay.encapsulation.span) {
                continue;
            }
            let (name, other) =
                (fabric.device_name(overlay.device), fabric.device_name(usual.device));
            let (theirs, own) = (usual.encapsulation.value, overlay.encapsulation.value);
            out.report(
                overlay.encapsulation.span,
                format!("{name} uses {own}"),
                format!("{name} uses {own}, other VTEPs of {} use {theirs}", segment.name.value),
            )
            .related(usual.encapsulation.span, format!("{other} uses {theirs}"))
            .wire(format!(
                "{name} and the others leave each other\u{2019}s routes out: {} is cut in two",
                segment.name.value
            ))
            .remedy(format!("use {theirs} on {name} too"))
            .about(overlay.device)
            .about_name(&segment.name.value);
        }
    }
}

/// A VTEP with the encapsulation that most have.
fn most<'a>(overlays: &[&'a Overlay]) -> Option<&'a Overlay> {
    let count =
        |value| overlays.iter().filter(|overlay| overlay.encapsulation.value == value).count();
    overlays.iter().copied().rev().max_by_key(|overlay| count(overlay.encapsulation.value))
}
