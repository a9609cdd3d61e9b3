use super::{in_one_place, mapped};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-single-vtep",
        severity: Severity::Hint,
        summary: "a segment with a VNI is on one VTEP only",
        explain: "A VNI carries a segment to other VTEPs. On one VTEP, or one pair, nothing is \
              gained by it, and often the others were forgotten.",
        sources: &["RFC 7348 section 4"],
        broken: concat!(
            part!(fabric),
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-a"
"#
        ),
        mend: &[("vni = 23310\non = \"kelp-a\"", "vni = 23310\non = \"kelp-*\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let vteps = fabric.overlays().filter(|(_, overlay)| overlay.vtep.is_some()).count();
    for (id, segment) in fabric.segments() {
        let mapped = mapped(cx, id);
        let [first, ..] = mapped[..] else { continue };
        if !in_one_place(fabric, &mapped) || vteps < 2 {
            continue;
        }
        let presence = fabric.presence(first);
        let name = fabric.device_name(presence.switch);
        let place = presence.vni.map_or(segment.name.span, |vni| vni.span);
        out.report(
            place,
            "a VNI for one VTEP",
            format!("{} has a VNI, but is on {name} alone", segment.name.value),
        )
        .related(fabric.device(presence.switch).name.span, format!("{name} is the only one"))
        .wire("nothing is sent with this VNI".to_owned())
        .remedy(
            "put the segment on the other switches that need it, or take the VNI out".to_owned(),
        )
        .about(presence.switch)
        .about_name(&segment.name.value);
    }
}
