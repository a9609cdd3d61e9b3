use std::collections::BTreeMap;

use crate::behaviour::{Aspect, Entity};
use crate::diagnostic::{At, Span};
use crate::fabric::SegmentId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Vni;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-vni-reused",
        severity: Severity::Error,
        summary: "two segments with one VNI",
        explain: "A VNI names one broadcast domain in the whole fabric. Two segments with one VNI are \
              bridged into one wherever both are present, and across VTEPs where only one is.",
        sources: &["RFC 7348 section 4", "RFC 7432 section 6.1"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"

[[segment]]
name = "tides-web"
vlan = 310
vni = 23310
on = "kelp-*"

[[segment]]
name = "tides-solver"
vlan = 311
vni = 23310
on = "kelp-*"
"#,
        mend: &[("vlan = 311\nvni = 23310", "vlan = 311\nvni = 23311")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut first_use: BTreeMap<Vni, (SegmentId, Span)> = BTreeMap::new();
    for (id, segment) in fabric.segments() {
        for vni in vnis(cx, id) {
            let (first, place) = *first_use.entry(vni.value).or_insert((id, vni.span));
            if first == id {
                continue;
            }
            let (one, other) = (&fabric.segment(first).name.value, &segment.name.value);
            out.report(
                vni.span,
                format!("used again for {other}"),
                format!("the segments {one} and {other} have one VNI, {}", vni.value),
            )
            .related(place, format!("used for {one}"))
            .wire(format!("frames of {one} and {other} mix in one broadcast domain"))
            .remedy("give each segment its own VNI")
            .about_name(one)
            .about_name(other);
        }
    }
}

/// The distinct VNIs of a segment, but for those where a switch deviates: that is a fault of its
/// own, and what the wrong number happens to hit follows from it.
fn vnis(cx: &Context<'_>, id: SegmentId) -> Vec<At<Vni>> {
    let segment = cx.fabric.segment(id);
    let mut vnis: Vec<At<Vni>> = segment.vni.into_iter().collect();
    for presence in segment.presences.iter() {
        let Some(vni) = cx.fabric.presence(presence).vni else { continue };
        if vnis.iter().any(|known| known.value == vni.value) {
            continue;
        }
        if cx.state.causes().claimed(Entity::Presence(presence), Aspect::Vni).is_none() {
            vnis.push(vni);
        }
    }
    vnis
}
