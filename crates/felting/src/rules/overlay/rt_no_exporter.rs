use rustc_hash::FxHashSet;

use crate::diagnostic::Span;
use crate::fabric::{DeviceId, Fabric, PresenceId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-rt-no-exporter",
        severity: Severity::Error,
        summary: "a VTEP imports a target for a segment that no other exports",
        explain: "A VTEP that imports another target than the others export learns nothing of them: \
              it does not flood to them and does not know where their hosts are, while they know \
              of its own.",
        sources: &["RFC 4364 section 4.3.1", "RFC 7432 section 7.10"],
        broken: concat!(
            part!(fabric),
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
differs = [{ on = "kelp-b", import_targets = "42041:23999" }]
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", import_targets = \"42041:23999\" }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (_, segment) in fabric.segments() {
        let instances =
            segment.presences.iter().filter_map(|id| Some((id, cx.state.evpn().instance(id)?)));
        let instances: Vec<_> = instances.collect();
        let Some(usual_pattern) = usual_pattern(fabric, instances.iter().map(|(id, _)| *id)) else {
            continue;
        };
        for &(id, own) in &instances {
            if instances.len() < 2 || own.import.is_empty() || own.export.is_empty() {
                continue;
            }
            let presence = fabric.presence(id);
            let others = || instances.iter().filter(|(other, _)| *other != id);
            let settings = fabric.settings_at(id);
            // Whatever is written for both is told once, as an import.
            let both = settings.import.as_ref().and_then(|all| all.first()).map(|first| first.span)
                == settings.export.as_ref().and_then(|all| all.first()).map(|first| first.span);
            let (heard, hears) = (
                others().any(|(_, theirs)| own.imports(&theirs.export)),
                others().any(|(_, theirs)| theirs.imports(&own.export)),
            );
            if heard || (!both && !hears && settings.export.is_some() && settings.import.is_none())
            {
                continue;
            }
            let written = settings.import.as_ref().and_then(|all| all.first());
            let (imported, place) = match (written, own.import.first()) {
                (Some(written), _) => (written.value, written.span),
                // A pattern that differs is wrong for all segments of the VTEP, and told once.
                (None, Some(derived)) => match pattern(fabric, presence.switch) {
                    Some(place) if place != usual_pattern && said.insert(place) => {
                        (*derived, place)
                    }
                    _ => continue,
                },
                _ => continue,
            };
            let usual = others().map(|(_, theirs)| theirs).next();
            let Some(usual) = usual.and_then(|theirs| theirs.export.first()) else { continue };
            let name = fabric.device_name(presence.switch);
            out.report(
                place,
                format!("{name} imports {imported}"),
                format!(
                    "{name} imports {imported} for {}, which no other VTEP of it exports",
                    segment.name.value
                ),
            )
            .related(segment.name.span, format!("the others export {usual}"))
            .wire(format!(
                "{name} floods frames of {} to nobody and learns no host of the others",
                segment.name.value
            ))
            .remedy(format!("import {usual} on {name}"))
            .about(presence.switch)
            .about_name(&segment.name.value);
        }
    }
}

/// Where it is said from what the targets of most VTEPs of a segment follow.
fn usual_pattern(fabric: &Fabric, all: impl Iterator<Item = PresenceId>) -> Option<Span> {
    let mut counts: Vec<(Span, usize)> = Vec::new();
    for place in all.filter_map(|id| pattern(fabric, fabric.presence(id).switch)) {
        match counts.iter_mut().find(|(known, _)| *known == place) {
            Some((_, count)) => *count += 1,
            None => counts.push((place, 1)),
        }
    }
    counts.into_iter().rev().max_by_key(|&(_, count)| count).map(|(place, _)| place)
}

/// Where it is said from what the targets of a VTEP follow.
pub(super) fn pattern(fabric: &Fabric, switch: DeviceId) -> Option<Span> {
    let overlay = fabric.overlay_of(switch)?;
    Some(overlay.target_pattern.as_ref().map_or(overlay.targets.span, |pattern| pattern.span))
}
