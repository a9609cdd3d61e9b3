use std::collections::{BTreeMap, BTreeSet, VecDeque};

use rustc_hash::FxHashSet;

use super::{halves, links, name, plug};
use crate::behaviour::Entity;
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, DeviceKind, LagId, PortId};
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
        let by_far = leads(cx, lag);
        let shown: Vec<_> = by_far
            .iter()
            .map(|((_, through), members)| {
                let ports: Vec<_> =
                    members.iter().map(|&(_, port, _)| fabric.port_label(port)).collect();
                format!("{} to {through}", ports.join(" and "))
            })
            .collect();
        let Some((span, port, far)) = odd(&by_far) else { continue };
        let devices: BTreeSet<DeviceId> = by_far.keys().map(|&(device, _)| device).collect();
        // One LAG here against several of one switch: the cables are as meant, the LAGs are not.
        let others = tangled(cx, lag);
        let one_device = devices.len() == 1 && others.is_empty();
        let place = plug(fabric, port).unwrap_or(span);
        let mut draft = out.report(
            place,
            format!("leads to {}", fabric.port_label(far)),
            format!(
                "the members of {} lead to different {}: {}",
                name(fabric, lag),
                if one_device { "LAGs of one switch" } else { "systems" },
                shown.join(", ")
            ),
        );
        for members in by_far.values() {
            for &(_, other, other_far) in members.iter().filter(|member| member.1 != port).take(2) {
                if let Some(place) = plug(fabric, other) {
                    draft =
                        draft.related(place, format!("leads to {}", fabric.port_label(other_far)));
                }
            }
        }
        // Whoever mends this LAG alone has not mended those that hang together with it.
        for &other in &others {
            let Some((span, port, far)) = odd(&leads(cx, other)) else { continue };
            let at = plug(fabric, port).unwrap_or(span);
            if at == place {
                continue;
            }
            let label = format!("{} leads to {}", fabric.port_label(port), fabric.port_label(far));
            draft = draft.related(at, label).about(fabric.lag(other).device);
        }
        let wire = match fabric.lag(lag).protocol.value {
            Protocol::Lacp if one_device => {
                "LACP keeps the members to one of the far LAGs and leaves the others out, so the LAG is thinner than it looks"
            }
            Protocol::Lacp => {
                "LACP keeps the members of one far system and leaves the others out, so the LAG is thinner than it looks"
            }
            _ => {
                "a LAG that negotiates nothing does not notice: frames go to the wrong system, or in a circle"
            }
        };
        draft = draft.wire(wire).about(fabric.lag(lag).device);
        draft = match one_device {
            true => {
                let far = devices.first().map_or("the far end", |&far| fabric.device_name(far));
                draft.remedy(format!(
                    "put the ports of {far} into one LAG, or make as many LAGs here as there"
                ))
            }
            false => draft.remedy("look where these cables really end: most often two are swapped"),
        };
        for device in devices {
            draft = draft.about(device);
        }
    }
}

type Members = Vec<(Span, PortId, PortId)>;

/// What the members of a LAG lead to, by device and in words.
fn leads(cx: &Context<'_>, lag: LagId) -> BTreeMap<(DeviceId, String), Members> {
    let fabric = cx.fabric;
    let mut by_far: BTreeMap<(DeviceId, String), Members> = BTreeMap::new();
    for (span, port, far) in links(cx, lag) {
        let through = match fabric.lag_of(far) {
            Some(far_lag) => name(fabric, far_lag),
            None => format!("{}, in no LAG", fabric.port_label(far)),
        };
        by_far.entry((fabric.port(far).device, through)).or_default().push((span, port, far));
    }
    by_far
}

/// The odd one out: the far side with the fewest members, the last of those as small.
fn odd(by_far: &BTreeMap<(DeviceId, String), Members>) -> Option<(Span, PortId, PortId)> {
    let fewest = by_far.values().rev().min_by_key(|members| members.len());
    fewest.and_then(|members| members.first()).copied()
}

/// The other LAGs of switches that lead to several partners too, and hang together with one by cables; at most a few.
fn tangled(cx: &Context<'_>, lag: LagId) -> Vec<LagId> {
    const MOST: usize = 8;
    let fabric = cx.fabric;
    let mut seen: FxHashSet<LagId> = halves(fabric, lag).into_iter().collect();
    let mut open = VecDeque::from([lag]);
    let mut found = Vec::new();
    while let Some(at) = open.pop_front() {
        let mut fars: Vec<LagId> =
            links(cx, at).iter().filter_map(|&(_, _, far)| fabric.lag_of(far)).collect();
        fars.sort_unstable();
        fars.dedup();
        let is_switch = fabric.device(fabric.lag(at).device).kind == DeviceKind::Switch;
        let own = fabric.lag(at).device == fabric.lag(lag).device;
        if at != lag && own && is_switch && leads(cx, at).len() > 1 && found.len() < MOST {
            found.push(at);
        }
        for far in fars {
            if !seen.contains(&far) {
                seen.extend(halves(fabric, far));
                open.push_back(far);
            }
        }
    }
    found
}
