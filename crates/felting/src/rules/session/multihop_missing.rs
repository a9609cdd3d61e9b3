use std::collections::BTreeMap;

use super::clashes;
use crate::behaviour::SessionFault;
use crate::diagnostic::Span;
use crate::fabric::SessionId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "session-multihop-missing",
        severity: Severity::Error,
        summary: "an eBGP session between loopbacks has too small a multihop",
        explain: "eBGP expects its peer on the same link, and sends with a TTL for that. A session \
              between loopbacks, or to a switch beyond another, needs multihop at both ends, \
              with as many hops as there are links on the way.",
        sources: &["RFC 4271 section 5.1.3"],
        broken: concat!(
            part!(plant),
            part!(bgp),
            part!(vteps),
            part!(segment),
            r#"
[[session]]
on = "kelp-*"
to = "crest-*"
multihop = 2
differs = [{ on = "kelp-b", without = "multihop" }]
import = "everything"
export = "everything"

[[session]]
on = "crest-*"
to = "kelp-*"
multihop = 2
next_hop = "kept"
import = "everything"
export = "everything"
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", without = \"multihop\" }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // What is missing in one statement is missing once.
    let mut cases: BTreeMap<Span, Vec<(SessionId, Option<u16>)>> = BTreeMap::new();
    for (near, far) in clashes(cx, RULE.rule.id) {
        for id in [near, far] {
            let session = fabric.session(id);
            let needed = match cx.state.bgp().session(id).fault {
                Some(SessionFault::MultihopMissing) if session.multihop.is_none() => None,
                Some(SessionFault::MultihopShort(hops))
                    if session.multihop.is_some_and(|most| most.value < hops) =>
                {
                    Some(hops)
                }
                _ => continue,
            };
            cases.entry(session.multihop_at.0).or_default().push((id, needed));
        }
    }
    for (place, sessions) in cases {
        let (id, _) = sessions[0];
        let needed = sessions.iter().filter_map(|(_, needed)| *needed).max();
        let session = fabric.session(id);
        let (name, peer) = (fabric.device_name(session.device), fabric.device_name(session.peer));
        let twin = cx.state.bgp().session(id).twin.map(|twin| fabric.session(twin));
        let text = match (session.multihop, needed) {
            (Some(most), Some(hops)) => format!("{} hops, of {hops} needed", most.value),
            _ => "no multihop here".to_owned(),
        };
        let more = match sessions.len() {
            1 => String::new(),
            2 => ", and so does one more".to_owned(),
            many => format!(", and so do {} more", many - 1),
        };
        let draft = out
            .report(
                place,
                text,
                format!("the eBGP session of {name} with {peer} lacks multihop{more}"),
            )
            .related(
                twin.map_or(fabric.device(session.peer).name.span, |twin| twin.span.0),
                format!("the other end, on {peer}"),
            )
            .wire(match needed {
                Some(hops) => format!(
                    "the session stays down: what {name} sends does not get over {hops} links"
                ),
                None => format!(
                    "the session stays down: {name} does not dial {peer}, which is on none of its \
                     links, and refuses it when {peer} dials"
                ),
            })
            .remedy(match needed {
                Some(hops) => format!("allow {hops} hops"),
                None => "set `multihop` to the number of links on the way, 2 or more".to_owned(),
            });
        sessions.iter().fold(draft, |draft, &(id, _)| {
            let session = fabric.session(id);
            draft.about(session.device).about(session.peer)
        });
    }
}
