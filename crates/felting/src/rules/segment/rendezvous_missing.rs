use rustc_hash::FxHashSet;

use super::mapped;
use crate::behaviour::evpn::replication;
use crate::diagnostic::Span;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Replication;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-rendezvous-missing",
        severity: Severity::Error,
        summary: "flooding by group has no rendezvous point",
        explain: "All VTEPs of a segment send to its group, so nobody knows the senders beforehand: \
              multicast routing needs a rendezvous point where senders and receivers meet, and a \
              route to it.",
        sources: &["RFC 7761 section 3", "RFC 7348 section 4.2"],
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
"#,
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
multicast_group = "239.64.3.10"
"#
        ),
        mend: &[(
            "replication = \"multicast\"",
            "replication = \"multicast\"\nrendezvous = \"10.64.8.1\"",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (id, segment) in fabric.segments() {
        for presence in mapped(cx, id) {
            let switch = fabric.presence(presence).switch;
            let Some(overlay) = fabric
                .overlay_of(switch)
                .filter(|_| replication(fabric, presence) == Some(Replication::Multicast))
            else {
                continue;
            };
            let router = fabric.device(switch).router;
            let unreached = overlay.rendezvous.iter().find(|point| {
                router.is_some_and(|router| cx.state.delivers(router, point.value).is_err())
            });
            let (place, text) = match (overlay.rendezvous.is_empty(), unreached) {
                (true, _) => (overlay.span.0, "no rendezvous point is written".to_owned()),
                (false, Some(point)) => {
                    (point.span, format!("nobody has a route to {}", point.value))
                }
                (false, None) => continue,
            };
            if !said.insert(place) {
                continue;
            }
            let name = fabric.device_name(switch);
            let group = fabric
                .settings_at(presence)
                .multicast_group
                .map_or(segment.name.span, |group| group.span);
            out.report(
                place,
                text.clone(),
                format!("{name} floods {} by group, but {text}", segment.name.value),
            )
            .related(group, format!("{} is flooded by group", segment.name.value))
            .wire(
                "senders and receivers of the group don\u{2019}t find each other: \
                 frames for many get to nobody"
                    .to_owned(),
            )
            .remedy(
                "write the `rendezvous` of the group: a loopback that every VTEP has a \
                 route to"
                    .to_owned(),
            )
            .about(switch)
            .about_name(&segment.name.value);
        }
    }
}
