use rustc_hash::FxHashSet;

use super::clashes;
use crate::diagnostic::Span;
use crate::fabric::Session;
use crate::rules::underlay::{End, report_ends};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "session-as-clash",
        severity: Severity::Error,
        summary: "an end of a session expects another AS number than the other has",
        explain: "A speaker says its AS number when a session opens, and a peer that expects another \
              one closes it. A speaker without one cannot open any.",
        sources: &["RFC 4271 section 6.2"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
protocol = "bgp"
import = "everything"
export = "everything"
differs = [{ on = "kelp-b", peer_as = 4204100002 }]

[[router]]
on = "crest-1"
as_number = 4204100001

[[pool]]
name = "leaves"
gives = "as-numbers"
base = 4204100000
on = "kelp-*"
"#
        ),
        mend: &[(", peer_as = 4204100002", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<[Span; 2]> = FxHashSet::default();
    for (near, far) in clashes(cx, RULE.rule.id) {
        let ends = [near, far].map(|id| fabric.session(id));
        let own = |session: &Session| {
            fabric.router_of(session.device).and_then(|router| router.as_number)
        };
        let names = ends.map(|session| fabric.device_name(session.device));
        let describe = |session: &Session, other: &Session| {
            let (name, has) = (fabric.device_name(session.device), own(session));
            let expects = session
                .peer_as
                .filter(|expected| own(other).is_none_or(|has| has.value != expected.value));
            let (span, text) = match (expects, has) {
                (Some(expected), _) => {
                    (expected.span, format!("{name} expects AS {}", expected.value))
                }
                (None, Some(has)) => (has.span, format!("{name} is in AS {}", has.value)),
                (None, None) => {
                    (fabric.device(session.device).name.span, format!("{name} has no AS number"))
                }
            };
            End { device: session.device, span, text }
        };
        let numbered = ends.iter().all(|session| own(session).is_some());
        let remedy = match numbered {
            true => "expect the AS number that the other end has, or leave `peer_as` out",
            false => "give the switch an AS number, in its [[router]] or by a pool",
        };
        let told = [describe(ends[0], ends[1]), describe(ends[1], ends[0])];
        let mut places = [told[0].span, told[1].span];
        places.sort_unstable();
        if !said.insert(places) {
            continue;
        }
        report_ends(
            out,
            told,
            format!("the AS numbers of a session don't match: {} and {}", names[0], names[1]),
            "the session is closed as soon as it opens: no route passes between the two",
            remedy,
        );
    }
}
