use rustc_hash::{FxHashMap, FxHashSet};

use crate::diagnostic::Span;
use crate::fabric::{DeviceId, PresenceId, SegmentId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::RouteDistinguisher;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-rd-reused",
        severity: Severity::Error,
        summary: "two instances have one route distinguisher",
        explain: "The route distinguisher keeps routes apart that say the same. With one for two \
              VTEPs, or for two segments of one, a speaker on the way takes two routes for one \
              and passes on the better only.",
        sources: &["RFC 7432 section 7.9", "RFC 4364 section 4.1"],
        broken: concat!(
            part!(fabric),
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
rd = "10.64.8.11:310"
differs = [{ on = "kelp-b", rd = "10.64.8.11:0310" }]
"#
        ),
        mend: &[(", rd = \"10.64.8.11:0310\"", ", rd = \"10.64.8.12:310\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut first: FxHashMap<RouteDistinguisher, (DeviceId, Span, SegmentId)> =
        FxHashMap::default();
    let mut said: FxHashSet<(Span, Span)> = FxHashSet::default();
    for (id, presence) in fabric.presences() {
        let Some(rd) = cx.state.evpn().instance(id).and_then(|instance| instance.rd) else {
            continue;
        };
        let segment = fabric.segment(presence.segment);
        let place = fabric.settings_at(id).rd.map_or(segment.name.span, |rd| rd.span);
        let &mut (owner, known, other) =
            first.entry(rd).or_insert((presence.switch, place, presence.segment));
        let bundled = segment.evi.is_some() && segment.evi == fabric.segment(other).evi;
        if (owner == presence.switch && (other == presence.segment || bundled))
            || same_router_id(cx, owner, presence.switch)
        {
            continue;
        }
        // Segments of one VNI are told as that.
        let vni = fabric.presence_of(other, owner).and_then(|at| fabric.presence(at).vni);
        let one_vni = other != presence.segment
            && presence.vni.zip(vni).is_some_and(|(own, other)| own.value == other.value);
        if one_vni || place == known || !said.insert((place, known)) {
            continue;
        }
        let (name, twin) = (fabric.device_name(presence.switch), fabric.device_name(owner));
        out.report(
            place,
            format!("{} on {name}", segment.name.value),
            format!("two MAC-VRFs have the route distinguisher {rd}"),
        )
        .related(known, format!("{} on {twin}", fabric.segment(other).name.value))
        .wire(
            "a speaker on the way takes their routes for one: of two that say the \
             same only one gets through"
                .to_owned(),
        )
        .remedy("let each switch and segment have its own, or leave `rd` out".to_owned())
        .about(presence.switch)
        .about(owner)
        .about_name(&segment.name.value);
    }
    shared(cx, out);
}

/// One distinguisher that is written for all switches of a segment: of a host on several leaves a VTEP then hears from
/// one alone.
fn shared(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (id, endpoint) in fabric.endpoints() {
        let attached = cx.state.evpn().attached(id);
        let vtep = |at: PresenceId| fabric.vtep_of(fabric.presence(at).switch).map(|v| v.value);
        let rd = |at: PresenceId| fabric.settings_at(at).rd;
        let Some(&one) = attached.first() else { continue };
        let Some(place) = rd(one).filter(|place| !said.contains(&place.span)) else { continue };
        let alike = |other: &PresenceId| rd(*other) == Some(place) && vtep(*other) != vtep(one);
        let Some(other) = attached.iter().copied().find(alike) else { continue };
        // Who would learn of both leaves, and hears of one.
        let segment = fabric.segment(fabric.presence(one).segment);
        let hears_of = |at: PresenceId| {
            let used = cx.state.aliases(at, [one, other]);
            let both = [one, other].iter().all(|&there| cx.state.learns(at, there).is_ok());
            let kept = used.first().filter(|_| both && used.len() == 1);
            kept.map(|&(there, _)| (at, there))
        };
        let apart = segment.presences.iter().filter(|at| !attached.contains(at));
        let Some((at, kept)) = apart.into_iter().find_map(hears_of) else { continue };
        said.insert(place.span);
        let switch = |at: PresenceId| fabric.presence(at).switch;
        let name = |at: PresenceId| fabric.device_name(switch(at));
        let (host, lost) = (&endpoint.name.value, if kept == one { other } else { one });
        out.report(
            place.span,
            format!("{} and {} both have it", name(one), name(other)),
            format!("the route distinguisher of {} is one for several VTEPs", segment.name.value),
        )
        .severity(Severity::Warning)
        .related(endpoint.name.span, format!("{host} is on {} and {}", name(one), name(other)))
        .wire(format!(
            "{} and {} tell of {host} by one route: {} sends to {host} by {} alone, and by {} only once it hears that \
             the other is gone",
            name(one),
            name(other),
            name(at),
            name(kept),
            name(lost)
        ))
        .remedy("leave `rd` out, or give each switch its own with `differs`".to_owned())
        .about(switch(one))
        .about(switch(other))
        .about_name(&segment.name.value);
    }
}

/// Two routers of one id are told as that.
fn same_router_id(cx: &Context<'_>, a: DeviceId, b: DeviceId) -> bool {
    let id =
        |device| cx.fabric.router_of(device).and_then(|router| router.router_id).map(|id| id.value);
    a != b && id(a).is_some() && id(a) == id(b)
}
