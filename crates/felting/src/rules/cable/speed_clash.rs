use std::collections::BTreeMap;

use rustc_hash::{FxHashMap, FxHashSet};

use crate::behaviour::link::rates_agree;
use crate::behaviour::{Aspect, Entity, MemberState};
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
    let mut clashing: Vec<CableId> = Vec::new();
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Cable(id) = cause.entity else { continue };
        if (comes_up(fabric, id) && is_refused(cx, id)) || in_reused_port(cx, id) {
            continue;
        }
        clashing.push(id);
    }
    let of_kind = wrong_kinds(fabric, &clashing);
    // The cables of one run that join the same kinds of ports are one fault; so are all cables of a kind of ports.
    let mut runs: BTreeMap<[Span; 3], Vec<CableId>> = BTreeMap::new();
    for id in clashing {
        let cable = fabric.cable(id);
        let [a, b] = cable.ends.map(|end| fabric.port(end.value).span.0);
        let key = match [a, b].into_iter().find(|kind| of_kind.contains(kind)) {
            Some(kind) => [kind; 3],
            None => [cable.span.0, a, b],
        };
        runs.entry(key).or_default().push(id);
    }
    let mut groups: Vec<Vec<CableId>> = runs.into_values().collect();
    let swaps = take_swaps(fabric, &mut groups);
    for [first, second] in swaps {
        report_swap(cx, first, second, out);
    }
    for cables in groups {
        let [a, b] = fabric.cable(cables[0]).ends;
        let (one, other) = (describe(fabric, a.value), describe(fabric, b.value));
        let (one_name, other_name) = (fabric.port_label(a.value), fabric.port_label(b.value));
        let (port_a, port_b) = (fabric.port(a.value), fabric.port(b.value));
        let (joins, stays) = match cables.len() {
            1 => ("joins".to_owned(), "the link stays down"),
            count => (format!("and {} more like it join", count - 1), "the links stay down"),
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

/// Whether an end is in a port that several cables are in: that is told.
fn in_reused_port(cx: &Context<'_>, cable: CableId) -> bool {
    let causes = cx.state.causes();
    cx.fabric.cable(cable).ends.iter().any(|end| {
        let cause = causes.claimed(Entity::Port(end.value), Aspect::Link);
        cause.is_some_and(|cause| causes.get(cause).rule == "cable-port-reused")
    })
}

/// The places where ports are said that all clash with what they lead to, several of them: what is said there is wrong.
fn wrong_kinds(fabric: &Fabric, clashing: &[CableId]) -> FxHashSet<Span> {
    if clashing.len() < 2 {
        return FxHashSet::default();
    }
    let kinds = |id: CableId| fabric.cable(id).ends.map(|end| fabric.port(end.value).span.0);
    let count = |cables: &mut dyn Iterator<Item = CableId>| {
        let mut counts: FxHashMap<Span, usize> = FxHashMap::default();
        for kind in cables.flat_map(kinds) {
            *counts.entry(kind).or_default() += 1;
        }
        counts
    };
    let wrong = count(&mut clashing.iter().copied());
    let all = count(&mut fabric.cables().map(|(id, _)| id));
    wrong.into_iter().filter(|(kind, n)| *n > 1 && all[kind] == *n).map(|(kind, _)| kind).collect()
}

/// Of more clashing cables nobody looks for pairs.
const MOST_SWAPS: usize = 64;

/// How the ends of two cables would be joined if one end of each were exchanged, so that both fit: at a device that both
/// end at, or anywhere.
fn exchanged(
    fabric: &Fabric,
    one: CableId,
    other: CableId,
    at_one_device: bool,
) -> Option<[[PortId; 2]; 2]> {
    let kind = |port: PortId| {
        let port = fabric.port(port);
        (port.speed, port.duplex, port.lanes)
    };
    let [x, y] = [one, other].map(|cable| fabric.cable(cable).ends.map(|end| end.value));
    let ways = (0..2).flat_map(|near| (0..2).map(move |there| (near, there)));
    let mut ways = ways.filter_map(|(near, there)| {
        let (a, b) = (x[near], y[there]);
        let (far_a, far_b) = (x[1 - near], y[1 - there]);
        let device = |port: PortId| fabric.port(port).device;
        let meant = !at_one_device || device(a) == device(b);
        let apart = device(a) != device(far_b) && device(b) != device(far_a);
        let fits = kind(a) == kind(far_b) && kind(b) == kind(far_a);
        (meant && apart && fits).then_some([[a, far_b], [b, far_a]])
    });
    ways.next()
}

/// Takes out pairs of cables that would fit if their ends at one device were exchanged. If two are left that would fit
/// with any of their ends exchanged, these are one slip too.
fn take_swaps(fabric: &Fabric, groups: &mut Vec<Vec<CableId>>) -> Vec<[CableId; 2]> {
    let mut singles: Vec<CableId> =
        groups.iter().filter(|cables| cables.len() == 1).map(|cables| cables[0]).collect();
    singles.truncate(MOST_SWAPS);
    let crossed = |one: CableId, other: CableId| exchanged(fabric, one, other, true).is_some();
    let mut taken: FxHashSet<CableId> = FxHashSet::default();
    let mut swaps = Vec::new();
    for (at, &one) in singles.iter().enumerate() {
        let free = |id: &&CableId| !taken.contains(*id);
        let other = singles[at + 1..].iter().filter(free).find(|&&other| crossed(one, other));
        if let Some(&other) = other.filter(|_| !taken.contains(&one)) {
            taken.extend([one, other]);
            swaps.push([one, other]);
        }
    }
    groups.retain(|cables| !taken.contains(&cables[0]));
    if let [one, other] = &groups[..]
        && let ([one], [other]) = (&one[..], &other[..])
        && exchanged(fabric, *one, *other, false).is_some()
    {
        swaps.push([*one, *other]);
        groups.clear();
    }
    swaps
}

/// Two cables of which each has an end in the other's port.
fn report_swap(cx: &Context<'_>, first: CableId, second: CableId, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let [[a, b], [c, d]] = [first, second].map(|id| fabric.cable(id).ends);
    let label = |port: PortId| fabric.port_label(port);
    let joins = |[a, b]: [PortId; 2]| {
        format!("{} ({}) to {} ({})", label(a), describe(fabric, a), label(b), describe(fabric, b))
    };
    let draft = out
        .report(
            a.span,
            format!("{} is {}", label(a.value), describe(fabric, a.value)),
            format!(
                "two cables join ports that do not fit, and would if they were exchanged: {}, {}",
                joins([a.value, b.value]),
                joins([c.value, d.value])
            ),
        )
        .related(b.span, format!("{} is {}", label(b.value), describe(fabric, b.value)))
        .related(c.span, format!("{} is {}", label(c.value), describe(fabric, c.value)))
        .related(d.span, format!("{} is {}", label(d.value), describe(fabric, d.value)))
        .wire("both links stay down")
        .remedy(
            match exchanged(fabric, first, second, true)
                .or_else(|| exchanged(fabric, first, second, false))
            {
                Some([[a, b], [c, d]]) => format!(
                    "plug {} into {}, and {} into {}, or correct the list",
                    label(a),
                    label(b),
                    label(c),
                    label(d)
                ),
                None => "exchange the two cables, or correct the list".to_owned(),
            },
        );
    [a, b, c, d].into_iter().fold(draft, |draft, end| draft.about(fabric.port(end.value).device));
}

/// Whether the link comes up all the same: only the duplex modes of its ends differ (IEEE 802.3 clause 28).
fn comes_up(fabric: &Fabric, cable: CableId) -> bool {
    let [a, b] = fabric.cable(cable).ends.map(|end| fabric.port(end.value));
    rates_agree(a, b)
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
