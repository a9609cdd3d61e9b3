use rustc_hash::FxHashSet;

use super::{Odd, Setting, mapped, of_one_pair, report_odd};
use crate::behaviour::evpn::replication;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Replication;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-multicast-group-clash",
        severity: Severity::Error,
        summary: "VTEPs of a segment flood to different groups",
        explain: "A VTEP hears what is sent to the group that it has joined. With different groups \
              the VTEPs of a segment do not hear each other.",
        sources: &["RFC 7348 section 4.2"],
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
differs = [{ on = "kelp-b", multicast_group = "239.64.3.11" }]
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", multicast_group = \"239.64.3.11\" }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said = FxHashSet::default();
    for (id, _) in fabric.segments() {
        if of_one_pair(fabric, id) {
            continue;
        }
        let settings = mapped(cx, id).into_iter().filter_map(|presence| {
            let settings = fabric.settings_at(presence);
            let (text, span) = {
                let by_group = replication(fabric, presence) == Some(Replication::Multicast);
                let group =
                    settings.multicast_group.filter(|group| by_group && group.is_multicast())?;
                (group.value.to_string(), group.span)
            };
            Some(Setting { presence, span, text })
        });
        let settings: Vec<Setting> = settings.collect();
        let odd = Odd {
            what: "the group",
            wire: "frames for many do not get from one group to the other: ARP stays unanswered",
            remedy: "use one group on all VTEPs of the segment",
            severity: &|_| None,
        };
        report_odd(cx, out, id, &settings, &odd, &mut said);
    }
}
