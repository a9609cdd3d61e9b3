use rustc_hash::FxHashSet;

use super::{asn, vteps};
use crate::behaviour::session::is_internal;
use crate::rules::session::carrying;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Asn;
use crate::value::Family;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-reflector-missing",
        severity: Severity::Error,
        summary: "VTEPs of one AS have neither a full mesh nor a reflector",
        explain: "What a speaker learns over iBGP it does not tell other iBGP peers, so each needs a \
              session with each, or all with a route reflector. A spine that is no reflector \
              keeps to itself what the leaves tell it.",
        sources: &["RFC 4271 section 9.2.1", "RFC 4456 section 6"],
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

[[session]]
on = "crest-*"
to = "kelp-*"
client = false
"#
        ),
        mend: &[("client = false", "client = true")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let reflecting: FxHashSet<Asn> = fabric
        .sessions()
        .filter(|(_, session)| session.client.value && is_internal(fabric, session))
        .filter_map(|(_, session)| asn(fabric, session.device))
        .collect();
    let mut said: FxHashSet<Asn> = reflecting;
    let vteps = vteps(cx);
    let of_as = |asn: Asn| {
        vteps.iter().filter(move |(device, ..)| super::asn(fabric, *device) == Some(asn))
    };
    for (device, router, _) in &vteps {
        let Some(own) = asn(fabric, *device) else { continue };
        if said.contains(&own) {
            continue;
        }
        let deaf = of_as(own).find(|(other, origin, _)| {
            fabric.pair_of(*device, *other).is_none()
                && other != device
                && !cx.state.routes_reach(Family::Evpn, *origin, *router)
        });
        let Some((other, ..)) = deaf else { continue };
        // A speaker that both have sessions with would have to reflect.
        let between = carrying(cx).find(|(_, s)| {
            s.peer == *device
                && is_internal(fabric, s)
                && carrying(cx).any(|(_, t)| t.device == s.device && t.peer == *other)
        });
        let Some((_, session)) = between else { continue };
        said.insert(own);
        let (a, b, middle) = (
            fabric.device_name(*device),
            fabric.device_name(*other),
            fabric.device_name(session.device),
        );
        out.report(
            session.client.span,
            format!("{middle} does not reflect here"),
            format!(
                "AS {own} has no route reflector: {a} and {b} don\u{2019}t learn from \
                 each other"
            ),
        )
        .related(
            fabric.device(*device).name.span,
            format!("{a} has a session with {middle}, but none with {b}"),
        )
        .wire(format!(
            "{middle} keeps what it learns from {a} and {b} to itself: no VTEP \
             floods to another"
        ))
        .remedy(format!(
            "make the leaves clients of {middle} (`client = true`), or give each \
             VTEP a session with each"
        ))
        .about(session.device)
        .about(*device);
    }
}
