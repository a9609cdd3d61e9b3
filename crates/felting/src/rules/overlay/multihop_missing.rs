use rustc_hash::FxHashSet;

use crate::behavior::SessionFault;
use crate::fabric::DeviceId;
use crate::rules::underlay::session_clashes;
use crate::rules::{Context, Findings, Rule, Severity};
use crate::source::Span;

pub(super) static RULE: Rule = Rule {
    id: "overlay-multihop-missing",
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
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<(DeviceId, Span)> = FxHashSet::default();
    for (near, far) in session_clashes(cx, RULE.id) {
        for (id, twin) in [(near, far), (far, near)] {
            let (session, other) = (fabric.session(id), fabric.session(twin));
            let needed = match cx.state.bgp().session(id).fault {
                Some(SessionFault::MultihopMissing) if session.multihop.is_none() => None,
                Some(SessionFault::MultihopShort(hops))
                    if session.multihop.is_some_and(|most| most.value < hops) =>
                {
                    Some(hops)
                }
                _ => continue,
            };
            let place = session.multihop.map_or(session.span, |most| most.span);
            if !said.insert((session.device, place)) {
                continue;
            }
            let (name, peer) =
                (fabric.device_name(session.device), fabric.device_name(other.device));
            let text = match (session.multihop, needed) {
                (Some(most), Some(hops)) => format!("{} hops, of {hops} needed", most.value),
                _ => "no multihop here".to_owned(),
            };
            out.report(
                place,
                text,
                format!("the eBGP session of {name} with {peer} lacks multihop"),
            )
            .related(other.span, format!("the other end, on {peer}"))
            .wire("the session stays down: the peer is not on a link of this switch".to_owned())
            .remedy(match needed {
                Some(hops) => format!("allow {hops} hops"),
                None => "set `multihop` to the number of links on the way, 2 or more".to_owned(),
            })
            .about(session.device)
            .about(other.device);
        }
    }
}
