use std::collections::BTreeMap;

use rustc_hash::FxHashSet;

use super::{half_name, halves, neighbours};
use crate::behaviour::{Aspect, Entity};
use crate::diagnostic::{Span, some_of};
use crate::fabric::{DeviceId, LagId, PortId};
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
    // What is written once for several switches is told once.
    let mut of_statement: BTreeMap<Span, Vec<LagId>> = BTreeMap::new();
    for (id, lag) in fabric.lags() {
        let mut ports = lag.members.iter().map(|member| fabric.member(member).port.value);
        let forgotten = |port: PortId| {
            fabric.link(port).is_none() && !claimed(Entity::Port(port), Aspect::Link)
        };
        let alone = !lag.members.is_empty() && ports.all(forgotten);
        // A member of another LAG has its cable there, and a peer link is missed as one.
        // One half alone is told as a host, or a switch, on one side only.
        let half = halves(fabric, id).into_iter().any(|other| {
            let mut members = fabric.lag(other).members.iter();
            members.any(|member| fabric.link(fabric.member(member).port.value).is_some())
        });
        let told = half
            || beside.contains(&lag.device)
            || claimed(Entity::Lag(id), Aspect::Membership)
            || of_peer_link(cx, id).is_some();
        if alone && !told {
            of_statement.entry(lag.name.span).or_default().push(id);
        }
    }
    for (span, lags) in of_statement {
        let lag = fabric.lag(lags[0]);
        let names: Vec<_> = lags.iter().map(|&id| half_name(fabric, id)).collect();
        let who = some_of(&names.iter().map(String::as_str).collect::<Vec<_>>());
        let (has, is) = if lags.len() == 1 { ("has", "it is") } else { ("have", "they are") };
        let ports = lag.members.get(0).map_or(span, |member| fabric.member(member).port.span);
        let draft = out
            .report(span, "no cable", format!("{who} {has} no cable"))
            .related(ports, "nothing is plugged in here")
            .wire(format!("{is} down"))
            .remedy("add the run to [cabling], or take the LAG out until it is needed");
        lags.iter().fold(draft, |draft, &id| draft.about(fabric.lag(id).device));
    }
}
