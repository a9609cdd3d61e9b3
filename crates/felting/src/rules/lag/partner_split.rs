use std::collections::BTreeMap;

use super::{links, name};
use crate::behaviour::Entity;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Protocol;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-partner-split",
        severity: Severity::Error,
        summary: "the members of a LAG lead to different systems",
        explain: "All members of a LAG must lead to one partner: one switch, one host, or a pair that \
              presents one system identifier. Mostly two cables have been swapped. LACP notices, \
              since the LAG IDs differ, and keeps the members apart; a static LAG does not.",
        sources: &["IEEE 802.1AX-2020 clause 6.3.6 (LAG ID)", "IEEE 802.1AX-2020 clause 6.4.14"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-4] 25G"

[[host]]
name = "hull-[01-02]"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[[lag]]
on = "kelp-a"
name = "hull-01"
ports = "p[1-2]"

[[lag]]
on = "kelp-a"
name = "hull-02"
ports = "p[3-4]"

[cabling]
runs = [
  "hull-01 nic[1-2] -- kelp-a p[1,4]",
  "hull-02 nic[1-2] -- kelp-a p[3,2]",
]
"#,
        mend: &[("p[1,4]", "p[1-2]"), ("p[3,2]", "p[3-4]")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Lag(lag) = cause.entity else { continue };
        let mut by_far: BTreeMap<(DeviceId, String), Vec<_>> = BTreeMap::new();
        for (span, port, far) in links(cx, lag) {
            let through = match fabric.lag_of(far) {
                Some(far_lag) => name(fabric, far_lag),
                None => format!("{}, in no LAG", fabric.port_label(far)),
            };
            by_far.entry((fabric.port(far).device, through)).or_default().push((span, port, far));
        }
        let leads: Vec<_> = by_far
            .iter()
            .map(|((_, through), members)| {
                let ports: Vec<_> =
                    members.iter().map(|&(_, port, _)| fabric.port_label(port)).collect();
                format!("{} to {through}", ports.join(" and "))
            })
            .collect();
        // The odd one out is the far side with the fewest members, the last of those as small.
        let odd = by_far.values().rev().min_by_key(|members| members.len());
        let Some(&(span, port, far)) = odd.and_then(|members| members.first()) else { continue };
        let place = super::plug(fabric, port).unwrap_or(span);
        let mut draft = out.report(
            place,
            format!("leads to {}", fabric.port_label(far)),
            format!(
                "the members of {} lead to different systems: {}",
                name(fabric, lag),
                leads.join(", ")
            ),
        );
        for members in by_far.values() {
            for &(_, other, other_far) in members.iter().filter(|member| member.1 != port).take(2) {
                if let Some(place) = super::plug(fabric, other) {
                    draft =
                        draft.related(place, format!("leads to {}", fabric.port_label(other_far)));
                }
            }
        }
        let wire = match fabric.lag(lag).protocol.value {
            Protocol::Lacp => {
                "LACP keeps the members of one far system and leaves the others out, so the LAG is thinner than it looks"
            }
            _ => {
                "a LAG that negotiates nothing does not notice: frames go to the wrong system, or in a circle"
            }
        };
        draft = draft
            .wire(wire)
            .remedy("look where these cables really end: most often two are swapped")
            .about(fabric.lag(lag).device);
        for (device, _) in by_far.keys() {
            draft = draft.about(*device);
        }
    }
}
