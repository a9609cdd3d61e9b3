use rustc_hash::FxHashSet;

use super::mapped;
use crate::fabric::DeviceId;
use crate::rules::underlay::tier;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-vtep-missing",
        severity: Severity::Error,
        summary: "a leaf has a segment that others tunnel, but is no VTEP",
        explain: "Between leaves a segment goes by VXLAN only. A leaf that has the VLAN, but no VTEP that \
              maps it to the VNI, bridges it among its own ports and no further.",
        sources: &["RFC 7348 section 4", "RFC 8365 section 5"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            part!(segment),
            r#"
[[switch]]
name = "dune-a"
number = 15
role = "leaf"

[[segment]]
name = "tides-store"
number = 312
vlan = 312
vni = 23312
on = ["kelp-*", "dune-a"]

[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
"#
        ),
        mend: &[("on = [\"kelp-*\", \"dune-a\"]", "on = \"kelp-*\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    if fabric.overlays().len() == 0 {
        return;
    }
    let mut said: FxHashSet<DeviceId> = FxHashSet::default();
    for (id, segment) in fabric.segments() {
        let Some(&other) = mapped(cx, id).first() else { continue };
        for presence in segment.presences.iter().map(|id| fabric.presence(id)) {
            let leaf = tier(fabric, presence.switch).is_some_and(|tier| tier > 0);
            // A leaf that is no VTEP is told once, by its first segment.
            if !leaf
                || fabric.overlay_of(presence.switch).is_some()
                || !said.insert(presence.switch)
            {
                continue;
            }
            let name = fabric.device_name(presence.switch);
            let twin = fabric.device_name(fabric.presence(other).switch);
            out.report(
                segment.name.span,
                format!("on {name}, which is no VTEP"),
                format!("{name} has {}, but is no VTEP", segment.name.value),
            )
            .related(
                fabric
                    .overlay_of(fabric.presence(other).switch)
                    .map_or(segment.name.span, |o| o.span.0),
                format!("{twin} is one, for one"),
            )
            .wire(format!("hosts of {} at {name} reach nobody at other leaves", segment.name.value))
            .remedy(format!("name {name} in an [[overlay]], or take the segment off it"))
            .about(presence.switch)
            .about_name(&segment.name.value);
        }
    }
}
