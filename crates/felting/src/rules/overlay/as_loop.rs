use rustc_hash::FxHashSet;

use super::{asn, vteps};
use crate::behaviour::NotPassed;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{Asn, Family};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-as-loop",
        severity: Severity::Error,
        summary: "routes come back into an AS that they have been in",
        explain: "A speaker drops a route with its own AS number in the path. If switches on both \
              sides of a third have one number, what comes from behind the one never gets behind \
              the other.",
        sources: &["RFC 4271 section 9.1.2"],
        broken: concat!(
            r#"
[[switch]]
name = "deep-[1-2]"
number = 1
role = "super-spine"
ports = "p[1-4] 100G"

[[switch]]
name = "crest-[1-2]"
number = 3
role = "spine"
ports = "p[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = "p[49-52] 100G"

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[[underlay]]
on = ["deep-*", "crest-*", "kelp-*"]

[[router]]
on = "deep-*"
as_number = 4204100001

[[router]]
on = "crest-*"
as_number = 4204100003
differs = [{ on = "crest-2", as_number = 4_204_100_003 }]

[[pool]]
name = "leaves"
gives = "as-numbers"
base = 4204100000
on = "kelp-*"

[[session]]
on = ["deep-*", "crest-*", "kelp-*"]
to = ["deep-*", "crest-*", "kelp-*"]
over = "links"
families = "evpn"
next_hop = "kept"
import = "everything"
export = "everything"
"#,
            part!(vteps),
            part!(segment),
            r#"
[cabling]
runs = [
  "kelp-a p49 -- crest-1 p1",
  "kelp-b p49 -- crest-2 p1",
  "crest-1 p[3-4] -- deep-[1-2] p1", "crest-2 p[3-4] -- deep-[1-2] p2",
]
"#
        ),
        mend: &[("4_204_100_003", "4204100004")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let vteps = vteps(cx);
    let mut said: FxHashSet<Asn> = FxHashSet::default();
    let mut tried: FxHashSet<Asn> = FxHashSet::default();
    for (device, origin, _) in &vteps {
        let Some(own) = asn(fabric, *device) else { continue };
        let deaf = vteps.iter().any(|(other, at, _)| {
            asn(fabric, *other) != Some(own) && !cx.state.routes_reach(Family::Evpn, *origin, *at)
        });
        // The routes of one AS are dropped at the same places.
        if !deaf || !tried.insert(own) {
            continue;
        }
        let found = cx.state.propagate(Family::Evpn, &[*origin], None);
        for (at, router) in fabric.routers() {
            let Some(theirs) =
                router.as_number.filter(|asn| asn.value != own && found.best[at].is_none())
            else {
                continue;
            };
            let offers = cx.state.offers(Family::Evpn, &found, at, None);
            let Some((session, _)) =
                offers.iter().find(|(_, offer)| *offer == Err(NotPassed::AsLoop))
            else {
                continue;
            };
            let first = fabric.routers().find(|(_, other)| {
                other.device != router.device
                    && other.as_number.is_some_and(|asn| asn.value == theirs.value)
            });
            let Some((_, first)) = first else { continue };
            if !said.insert(theirs.value) {
                continue;
            }
            let (name, twin, peer) = (
                fabric.device_name(router.device),
                fabric.device_name(first.device),
                fabric.device_name(fabric.session(*session).peer),
            );
            out.report(
                theirs.span,
                format!("{name} is in AS {}", theirs.value),
                format!(
                    "{name} drops routes of {} as a loop: AS {} is in their path",
                    fabric.device_name(*device),
                    theirs.value
                ),
            )
            .related(
                first.as_number.map_or(first.span.0, |asn| asn.span),
                format!("{twin}, which they passed, is in the same AS"),
            )
            .wire(format!("what {peer} passes on from behind {twin} never gets behind {name}"))
            .remedy(format!("give {name} and {twin} different AS numbers"))
            .about(router.device)
            .about(first.device)
            .about(*device);
            break;
        }
    }
}
