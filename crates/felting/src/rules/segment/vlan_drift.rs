use rustc_hash::FxHashSet;

use super::{Odd, Setting, carried, mapped, of_one_pair, report_odd};
use crate::fabric::{PresenceId, SegmentId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-vlan-drift",
        severity: Severity::Hint,
        summary: "a segment has different VLANs on different switches",
        explain: "The VNI alone names a segment between VTEPs, so the VLAN may differ from leaf to \
              leaf. It works, until somebody moves a host or a cable and takes the number for \
              granted.",
        sources: &["RFC 7348 section 6.1"],
        broken: concat!(
            part!(fabric),
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
differs = [{ on = "kelp-b", vlan = 410 }]
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", vlan = 410 }]\n", "")],
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
            let (text, span) = {
                let vlan = fabric.presence(presence).vlan?;
                (format!("VLAN {}", vlan.value), vlan.span)
            };
            Some(Setting { presence, span, text })
        });
        let settings: Vec<Setting> = settings.collect();
        let odd = Odd {
            what: "the VLAN",
            wire: "nothing is lost by itself; a host that is moved with its VLAN comes \
                   into another segment, or none",
            remedy: "use one VLAN for the segment everywhere, where the devices allow it",
            severity: &|presence| cut_off(cx, id, presence).then_some(Severity::Error),
        };
        report_odd(cx, out, id, &settings, &odd, &mut said);
    }
}

/// Whether ports of the switch carry the VLAN that the segment has elsewhere: their hosts are then alone.
fn cut_off(cx: &Context<'_>, segment: SegmentId, presence: PresenceId) -> bool {
    let usual = cx.fabric.segment(segment).vlan;
    let lists = carried(cx.fabric, cx.fabric.presence(presence).switch);
    lists.iter().any(|(vlans, _)| usual.is_some_and(|usual| vlans.contains(usual.value)))
}
