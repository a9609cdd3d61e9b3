use rustc_hash::FxHashSet;

use super::clashes;
use crate::diagnostic::Span;
use crate::fabric::Session;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "session-source-clash",
        severity: Severity::Error,
        summary: "a session is from another address than the peer expects",
        explain: "A speaker takes a connection only from an address that it knows as a peer's. If \
              one end sends from another address, for one from its link's instead of its \
              loopback, only the other end can open the session; if both do, or an address is \
              nobody's, nobody can.",
        sources: &["RFC 4271 section 8.2.1"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(vteps),
            part!(segment),
            r#"
[[session]]
on = "kelp-*"
to = "crest-*"
differs = [{ on = "kelp-b", source = "10.64.0.193" }]

[[session]]
on = "crest-*"
to = "kelp-*"
client = true
"#
        ),
        mend: &[("source = \"10.64.0.193\"", "source = \"10.64.8.12\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<(Span, Span)> = FxHashSet::default();
    for (near, far) in clashes(cx, RULE.rule.id) {
        let half = cx.state.bgp().session(near).half;
        let (a, b) = (fabric.session(near), fabric.session(far));
        // The end whose own address is not the one that the other expects comes first.
        let wrong = |own: &Session, other: &Session| {
            own.source.map(|s| s.value) != other.peer_address.map(|s| s.value)
                || own.source.is_none()
        };
        let (one, other) = if wrong(a, b) { (a, b) } else { (b, a) };
        let (name, peer) = (fabric.device_name(one.device), fabric.device_name(other.device));
        let sent =
            one.source.map_or_else(|| "no address".to_owned(), |source| source.value.to_string());
        let expected = other
            .peer_address
            .map_or_else(|| "none".to_owned(), |address| address.value.to_string());
        let place = one.source.map_or(one.span.0, |source| source.span);
        let theirs = other.peer_address.map_or(other.span.0, |address| address.span);
        let theirs = if theirs == place { other.span.0 } else { theirs };
        if !said.insert((place, theirs)) {
            continue;
        }
        let draft = out
            .report(
                place,
                format!("{name} sends from {sent}"),
                format!(
                    "the session of {name} and {peer} is from {sent}, but {peer} expects {expected}"
                ),
            )
            .related(theirs, format!("{peer} expects {expected}"))
            .remedy(format!("send from {expected}, or expect {sent} at {peer}"))
            .about(one.device)
            .about(other.device);
        match half {
            true => draft.severity(Severity::Warning).wire(format!(
                "{peer} refuses what {name} opens; the session comes up only when {peer} opens it"
            )),
            false => draft.wire(
                "neither end takes the other\u{2019}s connections: the session stays down"
                    .to_owned(),
            ),
        };
    }
}
