use std::collections::BTreeMap;

use crate::behaviour::Entity;
use crate::diagnostic::{Span, some_of};
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "session-one-sided",
        severity: Severity::Error,
        summary: "a BGP session is set up at one end only",
        explain: "A speaker takes connections only from peers that it knows. The end that is set up \
              tries for ever, and its log shows refused connections.",
        sources: &["RFC 4271 section 8.2.1"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]

[[router]]
on = ["crest-1", "kelp-*"]
as_number = 4204100000

[[session]]
on = "kelp-*"
to = "crest-1"

[[session]]
on = "crest-1"
to = "kelp-a"
client = true
"#
        ),
        mend: &[("to = \"kelp-a\"", "to = \"kelp-*\"")],
    },
    check,
};

/// The two ends of some sessions.
type Ends = Vec<(DeviceId, DeviceId)>;

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // What one statement says of several switches is one fault, whoever of them lacks an answer.
    let mut groups: BTreeMap<Span, Vec<(DeviceId, DeviceId)>> = BTreeMap::new();
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Session(id) = cause.entity else { continue };
        let session = fabric.session(id);
        groups.entry(session.span.0).or_default().push((session.device, session.peer));
    }
    // Two statements whose ends are the same switches say one thing wrongly between them.
    let mut joined: Vec<(Span, Ends, Vec<Span>)> = Vec::new();
    for (span, ends) in groups {
        let meets = |known: &[(DeviceId, DeviceId)]| {
            let is_in = |device| known.iter().any(|other| other.0 == device || other.1 == device);
            ends.iter().all(|&(own, peer)| is_in(own) || is_in(peer))
        };
        match joined.iter_mut().find(|(_, known, _)| meets(known)) {
            Some((_, known, others)) => {
                known.extend(ends);
                others.push(span);
            }
            None => joined.push((span, ends, Vec::new())),
        }
    }
    for (span, mut ends, others) in joined {
        ends.sort_unstable();
        ends.dedup();
        let all = |end: fn(&(DeviceId, DeviceId)) -> DeviceId| {
            let mut devices: Vec<DeviceId> = ends.iter().map(end).collect();
            devices.sort_unstable();
            devices.dedup();
            devices
        };
        let (own, peers) = (all(|ends| ends.0), all(|ends| ends.1));
        let names = |devices: &[DeviceId]| {
            some_of(&devices.iter().map(|&one| fabric.device_name(one)).collect::<Vec<_>>())
        };
        let (who, whom) = (names(&own), names(&peers));
        let (has, a) = match (own.len(), ends.len()) {
            (1, 1) => ("has", "a BGP session"),
            (1, _) => ("has", "BGP sessions"),
            _ => ("have", "BGP sessions"),
        };
        let mut draft = out
            .report(
                span,
                format!("{who} {has} {a} to {whom}"),
                format!("{who} {has} {a} to {whom}, but there is none back"),
            )
            .related(
                fabric.device(peers[0]).name.span,
                format!("{} has no end of it", fabric.device_name(peers[0])),
            )
            .wire("connections are refused, and no route passes between the two")
            .remedy(match ends.len() {
                1 => format!("add a session on {whom} to {who}, or take this one out"),
                _ => format!("add sessions on {whom} to {who}, or take these out"),
            });
        for other in others {
            draft = draft.related(other, "nor for sessions of this statement");
        }
        own.iter().chain(&peers).fold(draft, |draft, &device| draft.about(device));
    }
}
