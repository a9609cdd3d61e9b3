use std::collections::BTreeMap;

use rustc_hash::{FxHashMap, FxHashSet};

use super::rt_no_exporter::pattern;
use crate::behaviour::Instance;
use crate::diagnostic::Span;
use crate::fabric::PresenceId;
use crate::rules::{Check, Context, Findings, Rule, Severity, some_of};
use crate::value::RouteTarget;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-rt-split",
        severity: Severity::Error,
        summary: "the VTEPs of a segment are of several groups by their route targets",
        explain: "Some VTEPs import and export one target for a segment, the others another. Each group is whole \
              by itself, so nothing looks wrong on any of its switches, but nothing passes between them: one \
              segment is two.",
        sources: &["RFC 4364 section 4.3.1", "RFC 7432 section 7.10"],
        broken: concat!(
            r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "p[1-4] 100G"

[[switch]]
name = "kelp-[a-d]"
number = 11
role = "leaf"
ports = ["p[1-8] 25G", "p[49-52] 100G"]

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[cabling]
runs = [
  "kelp-a p[49-50] -- crest-[1-2] p1",
  "kelp-b p[49-50] -- crest-[1-2] p2",
  "kelp-c p[49-50] -- crest-[1-2] p3",
  "kelp-d p[49-50] -- crest-[1-2] p4",
]
"#,
            part!(ospf),
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
differs = [{ on = "kelp-[c-d]", target_pattern = "42040:{vni}" }]

[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
"#
        ),
        mend: &[("42040:{vni}", "42041:{vni}")],
    },
    check,
};

/// The targets of a segment, joined where a VTEP has both.
#[derive(Default)]
struct Groups {
    of: FxHashMap<RouteTarget, usize>,
    parent: Vec<usize>,
}

impl Groups {
    fn find(&mut self, mut at: usize) -> usize {
        while self.parent[at] != at {
            self.parent[at] = self.parent[self.parent[at]];
            at = self.parent[at];
        }
        at
    }

    fn node(&mut self, target: RouteTarget) -> usize {
        let parent = &mut self.parent;
        *self.of.entry(target).or_insert_with(|| {
            parent.push(parent.len());
            parent.len() - 1
        })
    }

    /// Joins all targets of an instance.
    fn add(&mut self, own: &Instance) -> Option<usize> {
        let mut first = None;
        for &target in own.import.iter().chain(&own.export) {
            let node = self.node(target);
            let (root, other) = (self.find(node), first.map(|first| self.find(first)));
            if let Some(other) = other {
                self.parent[root] = other;
            }
            first = first.or(Some(node));
        }
        first
    }
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (_, segment) in fabric.segments() {
        let mut groups = Groups::default();
        let instances =
            segment.presences.iter().filter_map(|id| Some((id, cx.state.evpn().instance(id)?)));
        // Where the AS number in targets does not count, others may match.
        let nodes: Vec<(PresenceId, usize)> = instances
            .filter(|(_, own)| own.written && !own.any_as)
            .filter_map(|(id, own)| Some((id, groups.add(own)?)))
            .collect();
        let mut members: BTreeMap<usize, Vec<PresenceId>> = BTreeMap::new();
        for &(id, node) in &nodes {
            members.entry(groups.find(node)).or_default().push(id);
        }
        // One that is alone is told as such.
        let mut parts: Vec<Vec<PresenceId>> =
            members.into_values().filter(|part| part.len() > 1).collect();
        parts.sort_by_key(|part| (std::cmp::Reverse(part.len()), part[0]));
        let Some((usual, odd)) = parts.split_first() else { continue };
        for part in odd {
            let (place, other) = (place_of(cx, part[0]), place_of(cx, usual[0]));
            let (Some(place), Some(other)) = (place, other) else { continue };
            // What follows from another VNI is told as that.
            if place == other || !said.insert(place) {
                continue;
            }
            let targets = [part, usual].map(|part| {
                let own = cx.state.evpn().instance(part[0]).and_then(|own| own.import.first());
                own.map(ToString::to_string).unwrap_or_default()
            });
            let names = [part, usual].map(|part| {
                let names = part.iter().map(|&id| fabric.presence(id).switch);
                some_of(&names.map(|switch| fabric.device_name(switch)).collect::<Vec<_>>())
            });
            let draft = out
                .report(
                    place,
                    format!("{}: {}", names[0], targets[0]),
                    format!(
                        "{} exchange nothing of {} with {}: {} here, {} there",
                        names[0], segment.name.value, names[1], targets[0], targets[1]
                    ),
                )
                .related(other, format!("{}: {}", names[1], targets[1]))
                .wire(format!(
                    "{} is two segments: hosts of the one neither flood to the other nor know where its \
                     hosts are",
                    segment.name.value
                ))
                .remedy(format!("import and export {} on {} too", targets[1], names[0]))
                .about_name(&segment.name.value);
            part.iter().fold(draft, |draft, &id| draft.about(fabric.presence(id).switch));
        }
    }
}

/// Where the targets of a VTEP for a segment are written.
fn place_of(cx: &Context<'_>, presence: PresenceId) -> Option<Span> {
    let settings = cx.fabric.settings_at(presence);
    let written = settings.import.as_ref().and_then(|all| all.first());
    written
        .map(|written| written.span)
        .or_else(|| pattern(cx.fabric, cx.fabric.presence(presence).switch))
}
