use std::collections::{BTreeMap, BTreeSet};

use super::asn;
use crate::behaviour::session::is_internal;
use crate::diagnostic::Span;
use crate::fabric::DeviceId;
use crate::rules::session::carrying;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Asn;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-reflector-single",
        severity: Severity::Warning,
        summary: "all VTEPs hang on one route reflector",
        explain: "When the only reflector is off, every VTEP forgets what it learned from others as \
              soon as the hold time runs out. Where there are two spines, both can reflect.",
        sources: &["RFC 4456 section 7"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(vteps),
            part!(segment),
            r#"
[[session]]
on = "kelp-*"
to = "crest-1"

[[session]]
on = "crest-1"
to = "kelp-*"
client = true
"#
        ),
        mend: &[("to = \"crest-1\"", "to = \"crest-*\""), ("on = \"crest-1\"", "on = \"crest-*\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut reflectors: BTreeMap<Asn, BTreeMap<DeviceId, (Span, BTreeSet<DeviceId>)>> =
        BTreeMap::new();
    for (_, session) in carrying(cx).filter(|(_, s)| s.client.value && is_internal(fabric, s)) {
        let Some(asn) = asn(fabric, session.device) else { continue };
        let own = reflectors.entry(asn).or_default();
        own.entry(session.device)
            .or_insert((session.client.span, BTreeSet::new()))
            .1
            .insert(session.peer);
    }
    for (asn, reflectors) in reflectors {
        let (Some((&reflector, (span, clients))), 1) =
            (reflectors.first_key_value(), reflectors.len())
        else {
            continue;
        };
        // A second one must be there to be made one.
        let role = |device: DeviceId| fabric.device(device).role.map(|role| role.value);
        let other = fabric.routers().find(|(_, router)| {
            router.device != reflector && role(router.device) == role(reflector)
        });
        let (Some((_, other)), true) = (other, clients.len() > 1) else { continue };
        let (name, spare) = (fabric.device_name(reflector), fabric.device_name(other.device));
        out.report(
            *span,
            format!("{name} reflects to {} clients", clients.len()),
            format!("{name} is the only route reflector of AS {asn}"),
        )
        .related(fabric.device(other.device).name.span, format!("{spare} could be the second"))
        .wire(format!(
            "while {name} is off, no VTEP learns from another, and what they know \
             runs out with the hold time"
        ))
        .remedy(format!("make {spare} a reflector too"))
        .when_lost(name)
        .about(reflector);
    }
}
