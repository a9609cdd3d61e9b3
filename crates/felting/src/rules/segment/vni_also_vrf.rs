use rustc_hash::{FxHashMap, FxHashSet};

use crate::diagnostic::Span;
use crate::fabric::VrfId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Vni;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-vni-also-vrf",
        severity: Severity::Error,
        summary: "a VNI is a segment's and a VRF's",
        explain: "A VNI tells the receiving VTEP whether to bridge a frame, and where, or to route \
              the packet in it, and in which VRF. One VNI for both sends packets into the wrong \
              one.",
        sources: &["RFC 9135 section 4.1", "RFC 7348 section 4"],
        broken: concat!(
            part!(fabric),
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
"#,
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 23310
on = "kelp-*"
"#
        ),
        mend: &[(
            "name = \"tides\"\nnumber = 1\nvni = 23310",
            "name = \"tides\"\nnumber = 1\nvni = 27001",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut routed: FxHashMap<Vni, (VrfId, Span)> = FxHashMap::default();
    for (id, vrf) in fabric.vrfs() {
        for at in &vrf.switches {
            if let Some(vni) = at.vni {
                routed.entry(vni.value).or_insert((id, vni.span));
            }
        }
    }
    let mut said: FxHashSet<(Span, Span)> = FxHashSet::default();
    for (_, presence) in fabric.presences() {
        let Some(vni) = presence.vni else { continue };
        let Some(&(vrf, place)) =
            routed.get(&vni.value).filter(|(_, place)| said.insert((vni.span, *place)))
        else {
            continue;
        };
        let (segment, vrf) = (&fabric.segment(presence.segment).name, &fabric.vrf(vrf).name);
        out.report(
            vni.span,
            format!("layer 2 VNI of {}", segment.value),
            format!(
                "VNI {} is the segment {}\u{2019}s and the VRF {}\u{2019}s",
                vni.value, segment.value, vrf.value
            ),
        )
        .related(place, format!("layer 3 VNI of {}", vrf.value))
        .wire(
            "a VTEP cannot tell whether to bridge or to route what arrives with it: \
             one of the two is lost"
                .to_owned(),
        )
        .remedy("give the VRF a VNI of its own".to_owned())
        .about_name(&segment.value)
        .about_name(&vrf.value);
    }
}
