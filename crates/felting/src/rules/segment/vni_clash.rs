use std::collections::BTreeMap;

use crate::behaviour::Entity;
use crate::fabric::{Presence, PresenceId, SegmentId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Vni;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-vni-clash",
        severity: Severity::Error,
        summary: "one segment has different VNIs on different VTEPs",
        explain: "A VTEP bridges what arrives with the VNI that it maps to the VLAN. A VTEP with \
              another VNI is not in the segment: it receives nothing of it, and what it sends goes \
              to whoever uses that VNI. Pings within one leaf still work, which hides the fault.",
        sources: &["RFC 7348 section 4.1", "RFC 8365 section 5.1.2"],
        broken: r#"
[[switch]]
name = "kelp-[a-c]"

[[segment]]
name = "tides-web"
vlan = 310
vni = 23310
on = "kelp-*"
differs = [{ on = "kelp-c", vni = 23301 }]
"#,
        mend: &[("23301", "23310")],
    },
    check,
};

/// Switches that deviate alike, which share a finding: where they are, what they deviate from, and the parts.
type Deviating<'f> = (Vec<&'f Presence>, &'f Presence, Vec<(PresenceId, PresenceId)>);

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut deviating: BTreeMap<(SegmentId, Vni), Deviating<'_>> = BTreeMap::new();
    for cause in cx.state.causes().of(RULE.rule.id) {
        let (Entity::Presence(here), Some(Entity::Presence(reference))) =
            (cause.entity, cause.other)
        else {
            continue;
        };
        let ids = (here, reference);
        let (here, reference) = (fabric.presence(here), fabric.presence(reference));
        let Some(vni) = here.vni else { continue };
        let known = deviating.entry((here.segment, vni.value));
        let known = known.or_insert((Vec::new(), reference, Vec::new()));
        known.0.push(here);
        known.2.push(ids);
    }
    for ((segment, vni), (presences, reference, parts)) in deviating {
        let (Some(here), Some(there)) = (presences[0].vni, reference.vni) else { continue };
        let segment = fabric.segment(segment);
        let switches: Vec<_> = presences.iter().map(|p| fabric.device_name(p.switch)).collect();
        let switches = crate::diagnostic::some_of(&switches);
        let others = segment
            .presences
            .iter()
            .filter(|&id| fabric.presence(id).vni.is_some_and(|vni| vni.value == there.value));
        let others: Vec<_> =
            others.map(|id| fabric.device_name(fabric.presence(id).switch)).collect();
        let others = crate::diagnostic::some_of(&others);
        // The label of a route is what goes on the wire: where the targets agree, both VNIs work.
        let flows = parts.iter().all(|&(here, there)| {
            cx.state.learns(here, there).is_ok() && cx.state.learns(there, here).is_ok()
        });
        let wire = match flows {
            true => format!(
                "frames to {switches} go with VNI {vni}, those to {others} with {}: it works, as the \
                 route targets agree, and nobody expects it in a capture",
                there.value
            ),
            false => format!(
                "{switches} {} cut off from the rest of {}; each part looks whole by itself",
                if presences.len() == 1 { "is" } else { "are" },
                segment.name.value
            ),
        };
        let severity = if flows { Severity::Warning } else { Severity::Error };
        let mut draft = out
            .report(
                here.span,
                format!("VNI {vni} on {switches}"),
                format!(
                    "the segment {} has VNI {vni} on {switches}, but {} on {others}",
                    segment.name.value, there.value
                ),
            )
            .related(there.span, format!("VNI {} on {others}", there.value))
            .severity(severity)
            .wire(wire)
            .remedy(format!("map the segment to VNI {} on {switches} too", there.value))
            .about_name(&segment.name.value);
        for presence in presences {
            draft = draft.about(presence.switch);
        }
    }
}
