use rustc_hash::{FxHashMap, FxHashSet};

use super::tier;
use crate::fabric::{DeviceId, Fabric};
use crate::rules::{Context, Findings, Rule, Severity};
use crate::source::Span;
use crate::value::{Asn, NumberedBy, PoolKind};

pub(super) static RULE: Rule = Rule {
    id: "underlay-as-reused",
    severity: Severity::Error,
    summary: "switches that are not meant to share an AS number do",
    explain: "A speaker drops a route with its own AS number in the path: that is how BGP avoids \
              loops. Two leaves of one AS number therefore never learn each other's routes by \
              way of a spine. The sides of a pair may share one, as their VTEP is shared and \
              they have a link of their own.",
    sources: &["RFC 4271 section 9.1.2", "RFC 7938 section 5.2.1"],
    broken: routed!(
        r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
protocol = "bgp"
import = "everything"
export = "everything"

[[router]]
on = "crest-1"
as_number = 4204100001

[[router]]
on = "kelp-*"
as_number = 4204100011
differs = [{ on = "kelp-b", as_number = 4_204_100_011 }]
"#
    ),
    mend: &[("4_204_100_011", "4204100012")],
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let external: FxHashSet<DeviceId> = fabric
        .sessions()
        .filter(|(id, session)| {
            let asn = |device| {
                fabric.router_of(device).and_then(|router| router.as_number).map(|asn| asn.value)
            };
            cx.state.bgp().session(*id).is_up() && asn(session.device) != asn(session.peer)
        })
        .map(|(_, session)| session.device)
        .collect();
    let mut first: FxHashMap<Asn, Vec<(DeviceId, Span)>> = FxHashMap::default();
    for (_, router) in fabric.routers().filter(|(_, router)| external.contains(&router.device)) {
        let Some(asn) = router.as_number else { continue };
        // Switches of one tier above the leaves share one on purpose: routes need not pass between them.
        if tier(fabric, router.device).is_some_and(|tier| tier > 1) {
            continue;
        }
        let known = first.entry(asn.value).or_default();
        let stranger = known.iter().find(|(other, _)| {
            let rack = |device: DeviceId| {
                fabric.device(device).rack.as_ref().map(|rack| rack.value.clone())
            };
            let by_rack = rack(*other).is_some()
                && rack(*other) == rack(router.device)
                && shared_by_rack(fabric);
            fabric.pair_of(*other, router.device).is_none() && !by_rack
        });
        if let Some(&(other, span)) = stranger {
            let (name, twin) = (fabric.device_name(router.device), fabric.device_name(other));
            out.report(
                asn.span,
                format!("{name} is in AS {}", asn.value),
                format!("{name} and {twin} share AS {}, but are no pair", asn.value),
            )
            .related(span, format!("{twin} is in AS {}", asn.value))
            .wire(format!(
                "{name} drops every route of {twin} that a spine passes on, as a loop, \
                 and the other way round"
            ))
            .remedy("give each leaf or pair an AS number of its own".to_owned())
            .about(router.device)
            .about(other);
        }
        known.push((router.device, asn.span));
    }
}

fn shared_by_rack(fabric: &Fabric) -> bool {
    fabric
        .pools()
        .any(|(_, pool)| pool.gives.value == PoolKind::AsNumbers && pool.by == NumberedBy::Rack)
}
