use rustc_hash::FxHashSet;

use super::{Odd, Setting, mapped, of_one_pair, report_odd};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-flooding-clash",
        severity: Severity::Error,
        summary: "VTEPs of a segment flood in different ways",
        explain: "Copies by ingress replication go to those that asked by a type 3 route, a static list to whom it \
              names, one packet to a group to whom has joined it. A VTEP that floods in one way \
              does not hear those that use another.",
        sources: &["RFC 8365 section 5.1.3", "RFC 7348 section 4.2"],
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
rendezvous = "10.64.8.1"
"#,
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
differs = [{ on = "kelp-b", replication = "multicast", multicast_group = "239.64.3.10" }]
"#
        ),
        mend: &[
            ("rendezvous = \"10.64.8.1\"\n", ""),
            (
                "differs = [{ on = \"kelp-b\", replication = \"multicast\", multicast_group = \"239.64.3.10\" }]\n",
                "",
            ),
        ],
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
            let switch = fabric.presence(presence).switch;
            let overlay = fabric.overlay_of(switch)?;
            let (text, span) = {
                let how = settings.replication.unwrap_or(overlay.replication);
                (how.value.to_string(), how.span)
            };
            Some(Setting { presence, span, text })
        });
        let settings: Vec<Setting> = settings.collect();
        let odd = Odd {
            what: "the flooding",
            wire: "frames for many do not get from one kind of VTEP to the other: ARP \
                   stays unanswered",
            remedy: "use one way of flooding on all VTEPs of the segment",
            severity: &|_| None,
        };
        report_odd(cx, out, id, &settings, &odd, &mut said);
    }
}
