use rustc_hash::FxHashSet;

use super::on_vteps;
use crate::behaviour::gateway::irb;
use crate::diagnostic::Span;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-irb-clash",
        severity: Severity::Error,
        summary: "a VRF is routed symmetrically on some leaves, asymmetrically on others",
        explain: "In symmetric IRB both leaves route, with the VRF's VNI between them; in asymmetric \
              IRB only the first, into the VNI of the far segment. A leaf of one kind does not \
              understand what one of the other kind advertises and sends.",
        sources: &["RFC 9135 section 4"],
        broken: concat!(
            part!(fabric),
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"
differs = [{ on = "kelp-b", irb = "asymmetric" }]
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", irb = \"asymmetric\" }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said = FxHashSet::default();
    for (id, vrf) in fabric.vrfs() {
        let all: Vec<(DeviceId, String, Span)> = on_vteps(fabric, id)
            .filter_map(|(_, at)| {
                let (text, span) = {
                    let kind = irb(fabric, at)?;
                    let overlay = fabric.overlay_of(at.switch)?;
                    (format!("{kind} IRB"), at.irb.unwrap_or(overlay.irb).span)
                };
                Some((at.switch, text, span))
            })
            .collect();
        if all.windows(2).all(|two| two[0].1 == two[1].1) {
            continue;
        }
        let count = |text: &str| all.iter().filter(|one| one.1 == text).count();
        let Some(usual) = all.iter().rev().max_by_key(|one| count(&one.1)) else { continue };
        for (switch, text, span) in all.iter().filter(|one| one.1 != usual.1) {
            if !said.insert(*span) {
                continue;
            }
            let (name, other) = (fabric.device_name(*switch), fabric.device_name(usual.0));
            out.report(
                *span,
                format!("{name}: {text}"),
                format!("the VRF {} has {text} on {name}, {} on others", vrf.name.value, usual.1),
            )
            .related(
                if usual.2 == *span { vrf.name.span } else { usual.2 },
                format!("{other}: {}", usual.1),
            )
            .wire(
                "one side sends with the layer 3 VNI, the other with that of the \
                 segment: packets go one way at most"
                    .to_owned(),
            )
            .remedy("use one kind of IRB for the VRF on all leaves".to_owned())
            .about(*switch)
            .about_name(&vrf.name.value);
        }
    }
}
