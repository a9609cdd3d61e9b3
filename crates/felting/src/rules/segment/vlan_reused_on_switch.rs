use rustc_hash::{FxHashMap, FxHashSet};

use crate::diagnostic::Span;
use crate::fabric::{DeviceId, SegmentId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::VlanId;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-vlan-reused-on-switch",
        severity: Severity::Error,
        summary: "two segments have one VLAN on one switch",
        explain: "On a switch a VLAN is one broadcast domain. Two segments with one VLAN are one \
              there, and only one of their VNIs can be mapped to it.",
        sources: &["IEEE 802.1Q clause 6.9", "RFC 7432 section 6.1"],
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
[[segment]]
name = "tides-store"
number = 312
vlan = 310
vni = 23312
on = "kelp-*"
"#
        ),
        mend: &[("number = 312\nvlan = 310", "number = 312\nvlan = 312")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<(Span, Span)> = FxHashSet::default();
    let mut first: FxHashMap<(DeviceId, VlanId), (SegmentId, Span)> = FxHashMap::default();
    for (_, presence) in fabric.presences() {
        let Some(vlan) = presence.vlan else { continue };
        let &mut (other, place) =
            first.entry((presence.switch, vlan.value)).or_insert((presence.segment, vlan.span));
        if other == presence.segment || !said.insert((vlan.span, place)) {
            continue;
        }
        let (name, segment, twin) = (
            fabric.device_name(presence.switch),
            &fabric.segment(presence.segment).name,
            &fabric.segment(other).name,
        );
        out.report(
            vlan.span,
            format!("VLAN of {}", segment.value),
            format!("{} and {} both have VLAN {} on {name}", twin.value, segment.value, vlan.value),
        )
        .related(place, format!("VLAN of {}", twin.value))
        .wire(match presence.vni {
            Some(_) => format!(
                "hosts of both are in one broadcast domain on {name}, and only one of \
                 the two VNIs carries it on"
            ),
            None => format!("hosts of both are in one broadcast domain on {name}"),
        })
        .remedy("give each segment a VLAN of its own on the switch".to_owned())
        .about(presence.switch)
        .about_name(&segment.value)
        .about_name(&twin.value);
    }
}
