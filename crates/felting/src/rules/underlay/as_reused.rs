use std::collections::{BTreeMap, BTreeSet};

use rustc_hash::{FxHashMap, FxHashSet};

use super::tier;
use crate::behaviour::{LostWay, NotPassed};
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, Fabric, RouterId};
use crate::rules::{Check, Context, Draft, Findings, Rule, Severity, some_of};
use crate::value::{Asn, Family, NumberedBy, PoolKind};

pub(super) static RULE: Check = Check {
    rule: Rule {
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
    },
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
    let mut known: FxHashMap<Asn, Vec<(DeviceId, RouterId, Span)>> = FxHashMap::default();
    let mut cases: BTreeMap<Span, (DeviceId, DeviceId, Span, BTreeSet<DeviceId>)> = BTreeMap::new();
    for (id, router) in fabric.routers().filter(|(_, router)| external.contains(&router.device)) {
        let Some(asn) = router.as_number else { continue };
        // Switches of one tier above the leaves share one on purpose: routes need not pass between them.
        if tier(fabric, router.device).is_some_and(|tier| tier > 1) {
            continue;
        }
        let others = known.entry(asn.value).or_default();
        let stranger = others.iter().copied().find(|&(other, twin, _)| {
            let rack = |device: DeviceId| {
                fabric.device(device).rack.as_ref().map(|rack| rack.value.clone())
            };
            let by_rack = rack(other).is_some()
                && rack(other) == rack(router.device)
                && shared_by_rack(fabric);
            let meant = fabric.pair_of(other, router.device).is_some() || by_rack;
            !meant && drops(cx, id, twin)
        });
        others.push((router.device, id, asn.span));
        if let Some((other, _, span)) = stranger {
            let case = (router.device, other, span, BTreeSet::new());
            let case = cases.entry(asn.span).or_insert(case);
            case.3.extend([router.device, other]);
        }
    }
    for (span, (device, other, first, all)) in cases {
        let (name, twin) = (fabric.device_name(device), fabric.device_name(other));
        let number = fabric.router_of(device).and_then(|router| router.as_number);
        let number = number.map(|asn| asn.to_string()).unwrap_or_default();
        let names: Vec<&str> = all.iter().map(|&device| fabric.device_name(device)).collect();
        let draft = out
            .report(
                span,
                format!("{name} is in AS {number}"),
                match names.len() {
                    2 => format!("{name} and {twin} share AS {number}, but are no pair"),
                    _ => format!("{} share AS {number}, but are no pair", some_of(&names)),
                },
            )
            .related(first, format!("{twin} is in AS {number}"))
            .wire(format!(
                "{name} drops every route of {twin} that a spine passes on, as a loop, and the \
                 other way round"
            ))
            .remedy("give each leaf or pair an AS number of its own".to_owned());
        all.into_iter().fold(draft, Draft::about);
    }
}

/// Whether a speaker lacks what another originates because its own AS number is in the path.
fn drops(cx: &Context<'_>, at: RouterId, origin: RouterId) -> bool {
    let fabric = cx.fabric;
    let device = fabric.router(origin).device;
    let loopback = fabric.router(origin).loopbacks.first().map(|loopback| loopback.address());
    let own = loopback.into_iter().chain(fabric.vtep_of(device).map(|vtep| vtep.value));
    let by_underlay = own.into_iter().any(|address| {
        let lost = cx.state.where_lost(at, address);
        matches!(lost, Some(LostWay::NotPassed(_, NotPassed::AsLoop)))
    });
    let by_evpn = || {
        let _bgp = cx.state.bgp();
        let both =
            fabric.vtep_of(device).is_some() && fabric.vtep_of(fabric.router(at).device).is_some();
        both && !cx.state.routes_reach(Family::Evpn, origin, at)
            && cx
                .state
                .routes_lost(Family::Evpn, &[origin], at)
                .is_some_and(|(_, why)| why == NotPassed::AsLoop)
    };
    by_underlay || by_evpn()
}

fn shared_by_rack(fabric: &Fabric) -> bool {
    fabric
        .pools()
        .any(|(_, pool)| pool.gives.value == PoolKind::AsNumbers && pool.by == NumberedBy::Rack)
}
