use std::collections::BTreeMap;

use rustc_hash::FxHashMap;

use crate::behaviour::State;
use crate::diagnostic::Span;
use crate::fabric::{EndpointId, Fabric, OutsideId, Terminal};
use crate::rules::shown::{command, way};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::walk::{Lost, Walk, why};

pub(in crate::rules) static RULE: Check = Check {
    rule: Rule {
        id: "endpoint-cut-off",
        severity: Severity::Error,
        summary: "endpoints do not reach what they are meant to reach, and no other finding says why",
        explain: "Endpoints of one segment, or of one network of their hosts and one subnet, are meant to reach each \
              other and their gateway. Those with a gateway are meant to reach the other segments of its VRF and the \
              networks outside that it has. A packet was sent on each such way, of those that nothing tells apart on \
              one. This one does not arrive, and no other rule knows what is behind it: the walk shows where it \
              stops. It is told where no other finding is an error, as what follows from one is not known. Who is not to \
              reach whom says so with an [[expect]].",
        sources: &["RFC 1122 section 3.3.1", "what segments and VRFs are for"],
        broken: part!(benches),
        mend: &[("untagged = 311", "untagged = 310")],
    },
    check,
};

/// Who is cut off is known when all other rules have run.
fn check(_: &Context<'_>, _: &mut Findings<'_>) {}

/// Reports walks that ought to arrive and that nothing explains, which come with a number each: one finding for all that
/// have an end in common. Told is which finding is about which walks.
pub(in crate::rules) fn report(
    state: &State,
    walks: &[(usize, &Walk)],
    out: &mut Findings<'_>,
) -> Vec<(usize, Vec<usize>)> {
    let groups = joined(walks);
    for group in &groups {
        let walks: Vec<&Walk> = group.iter().map(|&(_, walk)| walk).collect();
        report_one(state, &walks, out);
    }
    let numbers =
        |group: Vec<(usize, &Walk)>| group.into_iter().map(|(number, _)| number).collect();
    groups.into_iter().map(numbers).enumerate().collect()
}

fn report_one(state: &State, walks: &[&Walk], out: &mut Findings<'_>) {
    let fabric = state.fabric();
    // Told is who has lost most.
    let mut losses: FxHashMap<EndpointId, usize> = FxHashMap::default();
    for endpoint in walks.iter().flat_map(|walk| ends(walk)) {
        *losses.entry(endpoint).or_default() += 1;
    }
    let most = |walk: &Walk| ends(walk).map(|end| losses[&end]).max();
    let Some(walk) = walks.iter().rev().max_by_key(|walk| most(walk)) else { return };
    let name = |terminal| fabric.terminal_name(terminal);
    let (from, to) = (name(walk.from), name(walk.to));
    let others = losses.len().saturating_sub(ends(walk).count());
    let beside = match others {
        0 => String::new(),
        1 => "; another endpoint loses something too".to_owned(),
        many => format!("; {many} others lose something too"),
    };
    let reason = walk.root().map(|(hop, stop)| why(fabric, hop, stop)).unwrap_or_default();
    let [first, second] = [walk.from, walk.to].map(|terminal| place(fabric, terminal));
    let mut draft = out
        .report(
            first,
            "from here",
            format!("{from} does not reach {to}, and nothing else that was found explains it"),
        )
        .wire(format!("{}{beside}", way(fabric, walk, &reason)))
        .remedy(format!(
            "see `{}`; mend what stops it, or say with an [[expect]] that it is meant so",
            command(state, walk.from, walk.to, &Lost::Nothing)
        ))
        .about_name(&from.into())
        .about_name(&to.into());
    if second != first {
        draft = draft.related(second, "to here");
    }
    if let Some((hop, _)) = walk.root() {
        draft.about(hop.device);
    }
}
/// The endpoints at the ends of a walk.
fn ends(walk: &Walk) -> impl Iterator<Item = EndpointId> + use<> {
    [walk.from, walk.to].into_iter().filter_map(Terminal::endpoint)
}

/// Where the end of a walk is written.
fn place(fabric: &Fabric, terminal: Terminal) -> Span {
    match terminal {
        Terminal::Endpoint(id, _) => fabric.endpoint(id).name.span,
        Terminal::Gateway(presence, address) => {
            let settings = fabric.settings_at(presence);
            let written = settings.gateways.iter().find(|gateway| gateway.value == address);
            let segment = fabric.presence(presence).segment;
            written.map_or(fabric.segment(segment).name.span, |gateway| gateway.span)
        }
        Terminal::Outside(outside, _) => fabric.outside(outside).name.span,
    }
}

/// The endpoints and networks outside at the ends of a walk.
fn all_ends(walk: &Walk) -> impl Iterator<Item = Result<EndpointId, OutsideId>> + use<> {
    [walk.from, walk.to].into_iter().filter_map(|end| match end {
        Terminal::Endpoint(id, _) => Some(Ok(id)),
        Terminal::Outside(id, _) => Some(Err(id)),
        Terminal::Gateway(..) => None,
    })
}

/// The walks that have ends in common, directly or by others.
fn joined<'w>(walks: &[(usize, &'w Walk)]) -> Vec<Vec<(usize, &'w Walk)>> {
    let mut root: Vec<usize> = (0..walks.len()).collect();
    let mut of_end: FxHashMap<Result<EndpointId, OutsideId>, usize> = FxHashMap::default();
    for (place, (_, walk)) in walks.iter().enumerate() {
        for end in all_ends(walk) {
            let other = *of_end.entry(end).or_insert(place);
            let (a, b) = (find(&mut root, place), find(&mut root, other));
            root[a.max(b)] = a.min(b);
        }
    }
    let mut found: BTreeMap<usize, Vec<(usize, &Walk)>> = BTreeMap::new();
    for (place, &walk) in walks.iter().enumerate() {
        found.entry(find(&mut root, place)).or_default().push(walk);
    }
    found.into_values().collect()
}

/// The first of those that one is joined with.
fn find(root: &mut [usize], mut at: usize) -> usize {
    while root[at] != at {
        root[at] = root[root[at]];
        at = root[at];
    }
    at
}
