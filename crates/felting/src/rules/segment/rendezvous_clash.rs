use rustc_hash::FxHashSet;

use super::{Odd, Setting, mapped, of_one_pair, report_odd};
use crate::behaviour::evpn::replication;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Replication;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-rendezvous-clash",
        severity: Severity::Error,
        summary: "VTEPs use different rendezvous points for a segment",
        explain: "Senders and receivers of a group meet at its rendezvous point. VTEPs that meet \
              elsewhere do not hear each other.",
        sources: &["RFC 7761 section 4.7"],
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
differs = [{ on = "kelp-b", rendezvous = "10.64.8.2" }]
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
        mend: &[("differs = [{ on = \"kelp-b\", rendezvous = \"10.64.8.2\" }]\n", "")],
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
            let switch = fabric.presence(presence).switch;
            let overlay = fabric.overlay_of(switch)?;
            let (text, span) = {
                let by_group = replication(fabric, presence) == Some(Replication::Multicast);
                let first = overlay.rendezvous.first().filter(|_| by_group)?;
                let all: Vec<String> =
                    overlay.rendezvous.iter().map(|point| point.value.to_string()).collect();
                (all.join(", "), first.span)
            };
            Some(Setting { presence, span, text })
        });
        let settings: Vec<Setting> = settings.collect();
        let odd = Odd {
            what: "the rendezvous point",
            wire: "what one VTEP sends to the group the other never hears",
            remedy: "use the same rendezvous points on all VTEPs",
            severity: &|_| None,
        };
        report_odd(cx, out, id, &settings, &odd, &mut said);
    }
}
