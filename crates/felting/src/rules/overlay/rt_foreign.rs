use rustc_hash::FxHashSet;

use crate::diagnostic::{At, Span};
use crate::fabric::{PresenceId, SegmentId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::RouteTarget;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-rt-foreign",
        severity: Severity::Warning,
        summary: "a segment imports the route target of another segment beside its own",
        explain: "The MAC-VRF of a segment takes every route whose target it imports. With the target of another \
              segment it takes that one\u{2019}s MAC addresses and floods to its VTEPs: the two leak into \
              each other below any gateway.",
        sources: &["RFC 7432 section 7.10", "RFC 4364 section 4.3.1"],
        broken: concat!(
            part!(fabric),
            part!(segment),
            r#"
import_targets = ["42041:23310", "42041:23311"]

[[segment]]
name = "tides-solver"
number = 311
vlan = 311
vni = 23311
on = "kelp-*"
"#
        ),
        mend: &[("import_targets = [\"42041:23310\", \"42041:23311\"]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let evpn = cx.state.evpn();
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (segment, of) in fabric.segments() {
        for presence in of.presences.iter() {
            let settings = fabric.settings_at(presence);
            // One target alone that is another segment's is a slip of another kind.
            let imports = settings.import.iter().flatten();
            let own = |target: RouteTarget| {
                let exports = |other: PresenceId| {
                    evpn.instance(other).is_some_and(|one| one.export.contains(&target))
                };
                of.presences.iter().any(exports)
            };
            if !imports.clone().any(|target| own(target.value)) {
                continue;
            }
            for target in imports.filter(|target| !own(target.value)) {
                let Some(other) = owner(cx, segment, *target) else { continue };
                if said.insert(target.span) {
                    report(cx, presence, *target, other, out);
                }
            }
        }
    }
}

/// The segment, of no common bundle, that exports a target.
fn owner(cx: &Context<'_>, segment: SegmentId, target: At<RouteTarget>) -> Option<PresenceId> {
    let fabric = cx.fabric;
    let own = fabric.segment(segment).evi;
    let mut exporters = cx.state.evpn().exporters_of(target.value).iter().copied();
    exporters.find(|&other| {
        let theirs = fabric.presence(other).segment;
        theirs != segment && (own.is_none() || fabric.segment(theirs).evi != own)
    })
}

fn report(
    cx: &Context<'_>,
    at: PresenceId,
    target: At<RouteTarget>,
    other: PresenceId,
    out: &mut Findings<'_>,
) {
    let fabric = cx.fabric;
    let name = |presence: PresenceId| &fabric.segment(fabric.presence(presence).segment).name;
    let (segment, theirs) = (name(at), name(other));
    let device = fabric.device_name(fabric.presence(at).switch);
    out.report(
        target.span,
        format!("the target of {}", theirs.value),
        format!("{} imports {} on {device}, the target of {}", segment.value, target.value, theirs.value),
    )
    .related(theirs.span, format!("{} exports it", theirs.value))
    .wire(format!(
        "{device} takes MAC addresses of {} into {} and floods to its VTEPs: frames get from the one segment into \
         the other",
        theirs.value, segment.value
    ))
    .remedy(format!("take {} out of the imports of {}", target.value, segment.value))
    .about(fabric.presence(at).switch)
    .about_name(&segment.value)
    .about_name(&theirs.value);
}
