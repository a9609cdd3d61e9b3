use rustc_hash::FxHashSet;

use super::vteps;
use crate::behaviour::bgp::next_hop_rule;
use crate::diagnostic::Span;
use crate::rules::session::carrying;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Family;
use crate::value::NextHopRule;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-next-hop-rewritten",
        severity: Severity::Error,
        summary: "a switch without a VTEP puts itself in as next hop",
        explain: "Over eBGP a speaker puts in its own address as next hop, unless told to keep it. \
              VTEPs then send their tunnels to the spine, which has no VTEP and drops them.",
        sources: &["RFC 4271 section 5.1.3", "RFC 8365 section 5.1.3"],
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
import = "everything"
export = "everything"

[[session]]
on = "crest-*"
to = "kelp-*"
multihop = 2
next_hop = "rewritten"
import = "everything"
export = "everything"
"#
        ),
        mend: &[("next_hop = \"rewritten\"", "next_hop = \"kept\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (id, session) in carrying(cx) {
        let rewrites = next_hop_rule(fabric, session) == NextHopRule::Rewritten;
        if !rewrites || fabric.vtep_of(session.device).is_some() {
            continue;
        }
        // It must have something to pass on: routes of a VTEP that is not at the other end.
        let router = fabric.device(session.device).router;
        let passes = vteps(cx).into_iter().find(|(device, origin, _)| {
            *device != session.peer
                && router.is_some_and(|at| cx.state.routes_reach(Family::Evpn, *origin, at))
        });
        let place = session.next_hop_at.0;
        let Some((vtep, _, address)) = passes.filter(|_| said.insert(place)) else { continue };
        let _ = id;
        let (name, origin) = (fabric.device_name(session.device), fabric.device_name(vtep));
        out.report(
            place,
            format!("{name} puts itself in"),
            format!("{name} puts itself in as next hop of EVPN routes, but has no VTEP"),
        )
        .related(address, format!("{origin}, for one, is the VTEP that the routes are of"))
        .wire(format!(
            "VTEPs send tunnels to {name}, which drops them: sessions and routes \
             look well, and nothing passes"
        ))
        .remedy("say `next_hop = \"kept\"` for the EVPN sessions of the spines".to_owned())
        .about(session.device);
    }
}
