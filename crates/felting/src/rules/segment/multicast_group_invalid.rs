use rustc_hash::FxHashSet;

use super::mapped;
use crate::behaviour::evpn::replication;
use crate::diagnostic::Span;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Replication;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-multicast-group-invalid",
        severity: Severity::Error,
        summary: "a segment is flooded to an address that is no multicast group",
        explain: "Flooding by group sends one packet to a multicast group that all VTEPs of the \
              segment join. Without a group, or with an address that is none, nothing gets to \
              anybody.",
        sources: &["RFC 7348 section 4.2", "RFC 5771 section 2", "RFC 4291 section 2.7"],
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
multicast_group = "10.64.3.10"
"#
        ),
        mend: &[("multicast_group = \"10.64.3.10\"", "multicast_group = \"239.64.3.10\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (id, segment) in fabric.segments() {
        for presence in mapped(cx, id) {
            if replication(fabric, presence) != Some(Replication::Multicast) {
                continue;
            }
            let settings = fabric.settings_at(presence);
            let how = settings.replication.map(|how| how.span);
            let overlay = fabric.overlay_of(fabric.presence(presence).switch);
            let how = how
                .or(overlay.map(|overlay| overlay.replication.span))
                .unwrap_or(segment.name.span);
            let (place, text) = match settings.multicast_group {
                Some(group) if group.is_multicast() => continue,
                Some(group) => (group.span, format!("{} is no multicast group", group.value)),
                None => (segment.name.span, "no group is written".to_owned()),
            };
            if !said.insert(place) {
                continue;
            }
            let name = fabric.device_name(fabric.presence(presence).switch);
            out.report(
                place,
                text.clone(),
                format!("{} is flooded by group, but {text}", segment.name.value),
            )
            .related(how, format!("{name} floods by group"))
            .wire("frames for many go to nobody: ARP stays unanswered between VTEPs".to_owned())
            .remedy("give the segment a group, such as one of 239.0.0.0/8 or ff05::/16".to_owned())
            .about(fabric.presence(presence).switch)
            .about_name(&segment.name.value);
        }
    }
}
