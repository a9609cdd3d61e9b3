use std::collections::BTreeSet;

use rustc_hash::FxHashSet;

use super::carried;
use crate::fabric::{DeviceId, Presence};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::VlanId;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-unused",
        severity: Severity::Hint,
        summary: "no port carries a segment",
        explain: "A segment that no port or LAG carries on any switch, and that no gateway routes \
              for, connects nobody.",
        sources: &["IEEE 802.1Q clause 6.9"],
        broken: concat!(
            part!(fabric),
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
"#,
            r#"
[[segment]]
name = "tides-store"
number = 312
vlan = 312
vni = 23312
on = "kelp-*"
"#,
            r#"
[[port]]
on = "kelp-*"
ports = "p1"
tagged = "310"
"#
        ),
        mend: &[("tagged = \"310\"", "tagged = \"310,312\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut used: FxHashSet<(DeviceId, VlanId)> = FxHashSet::default();
    let switches: BTreeSet<DeviceId> =
        fabric.presences().map(|(_, presence)| presence.switch).collect();
    for &switch in &switches {
        let lists = carried(fabric, switch);
        used.extend(lists.iter().flat_map(|(vlans, _)| vlans.iter()).map(|vlan| (switch, vlan)));
    }
    // Where no port is written at all, nothing can be said.
    if used.is_empty() {
        return;
    }
    for (_, segment) in fabric.segments() {
        let carried = segment.presences.iter().map(|id| fabric.presence(id)).any(|presence| {
            presence.vlan.is_some_and(|vlan| used.contains(&(presence.switch, vlan.value)))
        });
        let Some(first) = segment.presences.get(0).filter(|_| !carried) else { continue };
        // One without a VLAN, whose ports carry one that no segment has, is told by that.
        let all = || segment.presences.iter().map(|id| fabric.presence(id));
        let for_nothing = |presence: &Presence| {
            let own = fabric.presences_on(presence.switch).iter();
            let known: FxHashSet<VlanId> =
                own.filter_map(|&id| fabric.presence(id).vlan).map(|vlan| vlan.value).collect();
            used.iter().any(|(switch, vlan)| *switch == presence.switch && !known.contains(vlan))
        };
        if all().all(|presence| presence.vlan.is_none()) && all().any(for_nothing) {
            continue;
        }
        let presence = fabric.presence(first);
        out.report(
            segment.name.span,
            "no port carries it",
            format!("no port on any switch carries {}", segment.name.value),
        )
        .related(
            fabric.device(presence.switch).name.span,
            format!("{} has it, for one", fabric.device_name(presence.switch)),
        )
        .wire("no host is in it".to_owned())
        .remedy("carry its VLAN on the ports that need it, or take the segment out".to_owned())
        .about(presence.switch)
        .about_name(&segment.name.value);
    }
}
