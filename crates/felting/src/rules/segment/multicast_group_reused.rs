use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};

use super::mapped;
use crate::behaviour::evpn::replication;
use crate::diagnostic::Span;
use crate::fabric::SegmentId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Replication;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-multicast-group-reused",
        severity: Severity::Hint,
        summary: "several segments flood to one group",
        explain: "Where several segments share a group, each VTEP gets the flooded frames of all of \
              them, and throws away those of segments that it does not have.",
        sources: &["RFC 7348 section 6.2"],
        broken: concat!(
            part!(plant),
            r#"
[[underlay]]
on = ["crest-*", "kelp-*"]
multicast = true
"#,
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
replication = "multicast"
rendezvous = "10.64.8.1"
"#,
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
multicast_group = "239.64.3.10"
"#,
            r#"
[[segment]]
name = "tides-store"
number = 312
vlan = 312
vni = 23312
on = "kelp-*"
multicast_group = "239.64.3.10"
"#
        ),
        mend: &[(
            "vni = 23312\non = \"kelp-*\"\nmulticast_group = \"239.64.3.10\"",
            "vni = 23312\non = \"kelp-*\"\nmulticast_group = \"239.64.3.12\"",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut first: FxHashMap<IpAddr, (SegmentId, Span)> = FxHashMap::default();
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (id, segment) in fabric.segments() {
        for presence in mapped(cx, id) {
            let by_group = replication(fabric, presence) == Some(Replication::Multicast);
            let Some(group) = fabric.settings_at(presence).multicast_group.filter(|_| by_group)
            else {
                continue;
            };
            let &mut (other, place) = first.entry(group.value).or_insert((id, group.span));
            if other == id || !said.insert(group.span) {
                continue;
            }
            let twin = &fabric.segment(other).name;
            out.report(
                group.span,
                format!("group of {}", segment.name.value),
                format!(
                    "{} and {} flood to one group, {}",
                    twin.value, segment.name.value, group.value
                ),
            )
            .related(place, format!("group of {}", twin.value))
            .wire(
                "VTEPs get flooded frames of segments that they don\u{2019}t have, and drop them"
                    .to_owned(),
            )
            .remedy(
                "give each segment a group of its own, where the underlay holds that many"
                    .to_owned(),
            )
            .about_name(&segment.name.value)
            .about_name(&twin.value);
        }
    }
}
