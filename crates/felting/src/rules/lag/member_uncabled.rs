use std::collections::BTreeMap;

use rustc_hash::FxHashSet;

use super::{half_name, halves, legs};
use crate::behaviour::{Aspect, Entity, Reason};
use crate::diagnostic::{Span, some_of};
use crate::fabric::{DeviceId, LagId, PortId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-member-uncabled",
        severity: Severity::Warning,
        summary: "a member of a LAG has no cable, while others have",
        explain: "The LAG works by its other members, with less bandwidth and with one link fewer to lose. A member is \
              written that nothing is plugged into: a run was forgotten, or leads to the port beside.",
        sources: &["IEEE 802.1AX clause 6.3.2 (aggregation ports)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-4] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"

[cabling]
runs = "kelp-a p1 -- kelp-b p1"
"#,
        mend: &[("kelp-a p1 -- kelp-b p1", "kelp-a p[1-2] -- kelp-b p[1-2]")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let claimed = |port| cx.state.causes().claimed(Entity::Port(port), Aspect::Link).is_some();
    // What is written once for several switches is told once, and so are both ends of what one cable would join.
    let mut of_statement: BTreeMap<Span, Vec<(LagId, PortId)>> = BTreeMap::new();
    let mut told: FxHashSet<LagId> = FxHashSet::default();
    for (id, lag) in fabric.lags() {
        let ports = lag.members.iter().map(|member| (member, fabric.member(member).port.value));
        let (cabled, bare): (Vec<_>, Vec<_>) =
            ports.partition(|&(_, port)| fabric.link(port).is_some());
        let bare = bare.into_iter().filter(|&(member, port)| {
            cx.state.member(member).reason == Reason::NoCable && !claimed(port)
        });
        let bare: Vec<PortId> = bare.map(|(_, port)| port).collect();
        if cabled.is_empty() || bare.is_empty() || cx.state.lag(id).cause.is_some() {
            continue;
        }
        let far: Vec<PortId> =
            cabled.iter().filter_map(|&(_, port)| Some(fabric.link(port)?.1)).collect();
        if told.contains(&id) {
            continue;
        }
        // Where its cable ends in a port beside, or a host hangs on one side, that is told.
        if is_told(cx, id, &far) {
            continue;
        }
        told.extend(far.iter().filter_map(|&port| fabric.lag_of(port)));
        let span =
            lag.members.get(0).map_or(lag.name.span, |member| fabric.member(member).port.span);
        of_statement.entry(span).or_default().extend(bare.into_iter().map(|port| (id, port)));
    }
    for (span, all) in of_statement {
        let (lag, _) = all[0];
        let ports: Vec<String> = all.iter().map(|&(_, port)| fabric.port_label(port)).collect();
        let who = some_of(&ports.iter().map(String::as_str).collect::<Vec<_>>());
        let (is, has) =
            if all.len() == 1 { ("is a member", "has") } else { ("are members", "have") };
        let outcome = cx.state.lag(lag);
        let members = fabric.lag(lag).members.len();
        let draft = out
            .report(
                span,
                format!("{who} {has} no cable"),
                format!("{who} {is} of {}, but {has} no cable", half_name(fabric, lag)),
            )
            .related(
                fabric.lag(lag).name.span,
                format!("{} of {members} members are in use", outcome.in_use),
            )
            .wire(match outcome.up {
                true => format!(
                    "{} carries its frames by {} of {members} links",
                    half_name(fabric, lag),
                    outcome.in_use
                ),
                false => format!("{} is down", half_name(fabric, lag)),
            })
            .remedy("add the run to [cabling], or take the member out until it is needed");
        let draft = all.iter().fold(draft, |draft, &(id, _)| draft.about(fabric.lag(id).device));
        // What its cable would lead to lacks it too.
        let ports = fabric.lag(lag).members.iter().map(|member| fabric.member(member).port.value);
        let left: Vec<_> = ports.filter_map(|port| fabric.link(port)).collect();
        let draft =
            left.iter().fold(draft, |draft, &(_, far)| draft.about(fabric.port(far).device));
        // And what is one partner with that.
        let beside = left.iter().filter_map(|&(_, far)| fabric.lag_of(far));
        let beside =
            beside.flat_map(|lag| halves(fabric, lag).into_iter().chain(legs(fabric, lag)));
        let draft = beside.fold(draft, |draft, id| draft.about(fabric.lag(id).device));
        // With one cable left, that is the one to lose.
        if let [(cable, _)] = left[..] {
            draft.when_lost(fabric.cable_words(cable));
        }
    }
}

/// Whether another rule tells of a LAG: of its members, or of both its ends.
fn is_told(cx: &Context<'_>, id: LagId, far: &[PortId]) -> bool {
    let lag = cx.fabric.lag(id);
    let name = |device: DeviceId| &cx.fabric.device(device).name.value;
    let members = lag.members.get(0).map(|member| cx.fabric.member(member).port.span);
    cx.found().any(|finding| {
        let what = &finding.what;
        let shown = std::iter::once(&what.primary).chain(&what.related);
        matches!(finding.rule.family(), "lag" | "uplink" | "pair" | "cable" | "stack" | "es")
            && finding.about.contains(name(lag.device))
            && (far.iter().any(|&far| finding.about.contains(name(cx.fabric.port(far).device)))
                || shown.map(|label| label.span).any(|span| Some(span) == members))
    })
}
