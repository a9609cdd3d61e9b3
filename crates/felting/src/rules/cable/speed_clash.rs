use std::collections::BTreeMap;

use crate::behaviour::{Entity, MemberState};
use crate::diagnostic::Span;
use crate::fabric::{CableId, Fabric, PortId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Duplex;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "cable-speed-clash",
        severity: Severity::Error,
        summary: "the ends of a cable differ in speed, duplex or breakout",
        explain: "Both ends of a link run one rate, in one duplex mode, over the same lanes. Where \
              they are set differently the link stays down, or (duplex) it comes up and loses \
              frames under load.",
        sources: &["IEEE 802.3 clause 28", "IEEE 802.3 clause 73"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p1 100G"

[[switch]]
name = "crest-1"
ports = "p1 4x25G"

[cabling]
runs = "kelp-a p1 -- crest-1 p1"
"#,
        mend: &[("4x25G", "100G")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // The cables of one run that join the same kinds of ports are one fault.
    let mut runs: BTreeMap<[Span; 3], Vec<CableId>> = BTreeMap::new();
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Cable(id) = cause.entity else { continue };
        if comes_up(fabric, id) && is_refused(cx, id) {
            continue;
        }
        let cable = fabric.cable(id);
        let [a, b] = cable.ends.map(|end| fabric.port(end.value).span);
        runs.entry([cable.span.0, a.0, b.0]).or_default().push(id);
    }
    for cables in runs.into_values() {
        let [a, b] = fabric.cable(cables[0]).ends;
        let (one, other) = (describe(fabric, a.value), describe(fabric, b.value));
        let (one_name, other_name) = (fabric.port_label(a.value), fabric.port_label(b.value));
        let (port_a, port_b) = (fabric.port(a.value), fabric.port(b.value));
        let (joins, stays) = match cables.len() {
            1 => ("joins".to_owned(), "the link stays down"),
            count => (format!("and {} more of its run join", count - 1), "the links stay down"),
        };
        let draft = out
            .report(
                a.span,
                format!("{one_name} is {one}"),
                format!("the cable from {one_name} to {other_name} {joins} {one} and {other}"),
            )
            .related(b.span, format!("{other_name} is {other}"))
            .related(port_a.span.0, format!("{one_name} is set here"))
            .related(port_b.span.0, format!("{other_name} is set here"))
            .wire(match comes_up(fabric, cables[0]) {
                true => "the link comes up; under load one end sends while the other does, and frames are lost as \
                         late collisions",
                false => stays,
            })
            .remedy("set both ports alike, or plug the cable where it belongs");
        let ends = cables.iter().flat_map(|&cable| fabric.cable(cable).ends);
        ends.fold(draft, |draft, end| draft.about(fabric.port(end.value).device));
    }
}

/// Whether the link comes up all the same: only the duplex modes of its ends differ (IEEE 802.3 clause 28).
fn comes_up(fabric: &Fabric, cable: CableId) -> bool {
    let [a, b] = fabric.cable(cable).ends.map(|end| fabric.port(end.value));
    (a.speed, a.lanes) == (b.speed, b.lanes)
}

/// Whether a LAG keeps an end out as a member that is unlike the others: that is told there.
fn is_refused(cx: &Context<'_>, cable: CableId) -> bool {
    let mut ends = cx.fabric.cable(cable).ends.into_iter();
    ends.any(|end| {
        let member = cx.fabric.member_of(end.value);
        member.is_some_and(|member| cx.state.member(member).state == MemberState::Refused)
    })
}

fn describe(fabric: &Fabric, port: PortId) -> String {
    let port = fabric.port(port);
    let duplex = if port.duplex == Duplex::Half { " half duplex" } else { "" };
    match port.lanes {
        1 => format!("{}{duplex}", port.speed),
        lanes => format!("{lanes} lanes of {}{duplex}", port.speed),
    }
}
