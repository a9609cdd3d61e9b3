use std::collections::BTreeMap;

use rustc_hash::FxHashSet;

use super::{half_name, halves, legs, meant_for_replugged, neighbours, without_cables};
use crate::behaviour::{Aspect, Entity};
use crate::diagnostic::{Span, some_of};
use crate::fabric::{DeviceId, LagId, Uplink};
use crate::rules::pair::of_peer_link;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-uncabled",
        severity: Severity::Hint,
        summary: "a LAG none of whose members has a cable",
        explain: "A LAG without any cable is down, whatever its switch is told. It may be meant for later; it may \
              also be that a run was forgotten, or leads to other ports.",
        sources: &["IEEE 802.1AX clause 6.3.2 (aggregation ports)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-4] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"

[[lag]]
on = "kelp-a"
name = "later"
ports = "p[3-4]"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("\n[[lag]]\non = \"kelp-a\"\nname = \"later\"\nports = \"p[3-4]\"\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let claimed = |entity, aspect| cx.state.causes().claimed(entity, aspect).is_some();
    // Where cables of a far LAG end in ports beside, these are missed here.
    let beside: FxHashSet<DeviceId> = ["uplink-bond-without-lag", "lag-one-sided"]
        .iter()
        .flat_map(|rule| cx.state.causes().of(rule))
        .filter_map(|cause| if let Entity::Lag(lag) = cause.entity { Some(lag) } else { None })
        .flat_map(|lag| neighbours(cx, lag))
        .collect();
    let replugged = meant_for_replugged(fabric);
    // What is written once for several switches is told once.
    let mut of_statement: BTreeMap<Span, Vec<LagId>> = BTreeMap::new();
    for id in without_cables(fabric) {
        let lag = fabric.lag(id);
        let mut ports = lag.members.iter().map(|member| fabric.member(member).port.value);
        // A member of another LAG has its cable there, and a peer link is missed as one.
        // One half alone is told as a host, or a switch, on one side only.
        let half = halves(fabric, id).into_iter().chain(legs(fabric, id)).any(|other| {
            let mut members = fabric.lag(other).members.iter();
            members.any(|member| fabric.link(fabric.member(member).port.value).is_some())
        });
        let told = half
            || ports.any(|port| claimed(Entity::Port(port), Aspect::Link))
            || replugged.contains(&id)
            || beside.contains(&lag.device)
            || claimed(Entity::Lag(id), Aspect::Membership)
            || of_peer_link(cx, id).is_some();
        if !told {
            of_statement.entry(lag.name.span).or_default().push(id);
        }
    }
    let lives = living(cx);
    let (of_hosts, others): (BTreeMap<_, Vec<LagId>>, BTreeMap<_, _>) =
        of_statement.into_iter().partition(|(_, lags)| lags.iter().any(|lag| lives.contains(lag)));
    // The other ends of the cables that hosts lack are missed with them: as many members, and no more.
    let members = |groups: &BTreeMap<Span, Vec<LagId>>| -> usize {
        groups.values().flatten().map(|&id| fabric.lag(id).members.len()).sum()
    };
    let mut ends: Vec<LagId> = match members(&others) <= members(&of_hosts) {
        true => others.values().flatten().copied().collect(),
        false => Vec::new(),
    };
    let alone = others.into_iter().filter(|_| ends.is_empty());
    let groups: Vec<(Span, Vec<LagId>)> = of_hosts.into_iter().chain(alone).collect();
    for (span, lags) in groups {
        let is_used = lags.iter().any(|lag| lives.contains(lag));
        let lag = fabric.lag(lags[0]);
        let names: Vec<_> = lags.iter().map(|&id| half_name(fabric, id)).collect();
        let who = some_of(&names.iter().map(String::as_str).collect::<Vec<_>>());
        let (has, is) = if lags.len() == 1 { ("has", "it is") } else { ("have", "they are") };
        let ports = lag.members.get(0).map_or(span, |member| fabric.member(member).port.span);
        let mut draft = out
            .report(span, "no cable", format!("{who} {has} no cable"))
            .severity(if is_used { Severity::Error } else { Severity::Hint })
            .related(ports, "nothing is plugged in here")
            .wire(match is_used {
                true => format!("{is} down, and the endpoints whose network is on it reach nobody"),
                false => format!("{is} down"),
            })
            .remedy("add the run to [cabling], or take the LAG out until it is needed");
        let ends = std::mem::take(&mut ends);
        if let Some(&first) = ends.first() {
            draft = draft.related(
                fabric.lag(first).name.span,
                format!("{} has none either", half_name(fabric, first)),
            );
        }
        lags.iter().chain(&ends).fold(draft, |draft, &id| draft.about(fabric.lag(id).device));
    }
}

/// The bonds that endpoints are on.
fn living(cx: &Context<'_>) -> FxHashSet<LagId> {
    let networks = cx.fabric.endpoints().filter_map(|(id, _)| cx.state.network_of(id));
    let bonds = networks.filter_map(|id| match cx.fabric.network(id).uplink {
        Uplink::Bond(bond) => cx.fabric.bond(bond).lag,
        Uplink::Nic(_) => None,
    });
    bonds.collect()
}
