use rustc_hash::FxHashSet;

use super::clashes;
use crate::diagnostic::Span;
use crate::fabric::Session;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Family;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "session-family-one-sided",
        severity: Severity::Error,
        summary: "an address family is active at one end of a session only",
        explain: "The ends of a session tell each other which families they know, and use those that \
              both do. The session is up, which is what people look at, but nothing of the \
              family passes.",
        sources: &["RFC 4760 section 8"],
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
differs = [{ on = "kelp-b", families = "ipv4" }]

[[session]]
on = "crest-*"
to = "kelp-*"
client = true
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", families = \"ipv4\" }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<(Span, Span)> = FxHashSet::default();
    for (near, far) in clashes(cx, RULE.rule.id) {
        let (a, b) = (fabric.session(near), fabric.session(far));
        for (family, word) in
            [(Family::Evpn, "EVPN"), (Family::Ipv4, "IPv4"), (Family::Ipv6, "IPv6")]
        {
            let (lacks, has) = match (a.activates(family), b.activates(family)) {
                (true, false) => (b, a),
                (false, true) => (a, b),
                _ => continue,
            };
            let place = |session: &Session| {
                let own = session.families.iter().find(|one| one.value == family);
                own.or(session.families.first()).map_or(session.span.0, |one| one.span)
            };
            if !said.insert((place(lacks), place(has))) {
                break;
            }
            let (name, peer) = (fabric.device_name(lacks.device), fabric.device_name(has.device));
            out.report(
                place(lacks),
                format!("{name} does not activate {word}"),
                format!("{peer} activates {word} with {name}, {name} does not"),
            )
            .related(place(has), format!("{peer} activates {word}"))
            .wire(format!(
                "the session may be up, but no {word} route passes between {name} and {peer}"
            ))
            .remedy(format!("activate {word} at both ends"))
            .about(lacks.device)
            .about(has.device);
            break;
        }
    }
}
