use std::collections::BTreeMap;

use crate::diagnostic::{At, Span};
use crate::fabric::{Fabric, PresenceId, SegmentId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::RouteTarget;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-rt-reused",
        severity: Severity::Error,
        summary: "two segments export one route target",
        explain: "The MAC-VRFs of a segment take every route with the target that they import. Where two segments export \
              one target, each takes the MAC addresses of the other and floods to its VTEPs: the two are one broadcast \
              domain, below any gateway. Several segments that are to be one instance are joined by an [[evi]].",
        sources: &["RFC 7432 section 7.10", "RFC 4364 section 4.3.1"],
        broken: concat!(
            part!(fabric),
            part!(segment),
            r#"
[[segment]]
name = "tides-solver"
number = 311
vlan = 311
vni = 23311
targets = "42041:23310"
on = "kelp-*"
"#
        ),
        mend: &[("targets = \"42041:23310\"\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut first: BTreeMap<RouteTarget, (SegmentId, Option<Span>)> = BTreeMap::new();
    for (id, _) in fabric.segments() {
        for target in common(cx, id) {
            let written = written(fabric, id, target);
            let (other, place) = *first.entry(target).or_insert((id, written));
            // What is derived of one VNI is told as that.
            let Some(span) = written.or(place).filter(|_| other != id) else { continue };
            let (own, theirs) = (fabric.segment(id), fabric.segment(other));
            if own.evi.is_some() && own.evi == theirs.evi {
                continue;
            }
            // At what is written: of two, at the later.
            let (of, with) = if written.is_some() { (own, theirs) } else { (theirs, own) };
            let (name, twin) = (&of.name.value, &with.name.value);
            let related = if written.is_some() { place } else { None };
            out.report(
                span,
                format!("the target of {name}"),
                format!("the segments {name} and {twin} export one route target, {target}"),
            )
            .related(related.unwrap_or(with.name.span), format!("{twin} exports it too"))
            .wire(format!(
                "VTEPs take the MAC addresses of {twin} into {name}, and flood frames of the one to hosts of the other"
            ))
            .remedy("give each segment its own target, or join the two in one [[evi]]")
            .about_name(name)
            .about_name(twin);
        }
    }
}

/// The targets that a segment exports wherever it is: what one switch alone exports otherwise is a slip there.
fn common(cx: &Context<'_>, id: SegmentId) -> Vec<RouteTarget> {
    let presences = cx.fabric.segment(id).presences.iter();
    let mut instances = presences.filter_map(|id: PresenceId| cx.state.evpn().instance(id));
    let Some(one) = instances.next() else { return Vec::new() };
    let mut common: Vec<RouteTarget> = one.export.to_vec();
    for instance in instances {
        common.retain(|target| instance.export.contains(target));
    }
    common.sort_unstable();
    common.dedup();
    common
}

/// Where it is written that a segment exports a target.
fn written(fabric: &Fabric, id: SegmentId, target: RouteTarget) -> Option<Span> {
    let mut presences = fabric.segment(id).presences.iter();
    presences.find_map(|presence| {
        let mut own = fabric.settings_at(presence).export.iter().flatten();
        let found: Option<&At<RouteTarget>> = own.find(|own| own.value == target);
        found.map(|own| own.span)
    })
}
