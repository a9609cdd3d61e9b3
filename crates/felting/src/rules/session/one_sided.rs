use std::collections::BTreeMap;

use crate::behaviour::Entity;
use crate::diagnostic::Span;
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

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut groups: BTreeMap<(DeviceId, Span), Vec<DeviceId>> = BTreeMap::new();
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Session(id) = cause.entity else { continue };
        let session = fabric.session(id);
        groups.entry((session.device, session.span.0)).or_default().push(session.peer);
    }
    for ((device, span), mut peers) in groups {
        peers.dedup();
        let name = fabric.device_name(device);
        let names: Vec<&str> = peers.iter().map(|&peer| fabric.device_name(peer)).collect();
        let names = crate::diagnostic::some_of(&names);
        let draft = out
            .report(
                span,
                format!("{name} has a session to {names}"),
                format!("{name} has a BGP session to {names}, but there is none back"),
            )
            .related(
                fabric.device(peers[0]).name.span,
                format!("{} has no end of it", fabric.device_name(peers[0])),
            )
            .wire("connections are refused, and no route passes between the two".to_owned())
            .remedy(format!("add a session on {names} to {name}, or take this one out"))
            .about(device);
        peers.iter().fold(draft, |draft, &peer| draft.about(peer));
    }
}
