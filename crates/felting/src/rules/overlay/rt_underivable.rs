use rustc_hash::FxHashSet;

use crate::behaviour::evpn::replication;
use crate::diagnostic::Span;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{Replication, TargetRule};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-rt-underivable",
        severity: Severity::Error,
        summary: "route targets cannot be derived",
        explain: "RFC 8365 derives a route target from an AS number of two octets and the VNI. From \
              a larger number, or without one, none follows, and a route without a target is \
              imported by nobody. A pattern may not have room for the VNI.",
        sources: &["RFC 8365 section 5.1.2.1", "RFC 5668 section 2"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            part!(segment),
            r#"
[[overlay]]
on = "kelp-*"
targets = "rfc8365"
"#
        ),
        mend: &[("targets = \"rfc8365\"", "target_pattern = \"42041:{vni}\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    let speakers: FxHashSet<DeviceId> =
        fabric.sessions().map(|(_, session)| session.device).collect();
    for (id, presence) in fabric.presences() {
        let lacks = cx
            .state
            .evpn()
            .instance(id)
            .is_some_and(|instance| instance.export.is_empty() && instance.import.is_empty());
        let Some(overlay) = fabric.overlay_of(presence.switch).filter(|_| lacks) else { continue };
        // What is flooded by a list or a group is learned from frames: without EVPN nobody misses a target.
        if !speakers.contains(&presence.switch)
            && replication(fabric, id) != Some(Replication::Ingress)
        {
            continue;
        }
        if !said.insert(overlay.targets.span) {
            continue;
        }
        let (name, segment) =
            (fabric.device_name(presence.switch), fabric.segment(presence.segment));
        let asn = fabric.router_of(presence.switch).and_then(|router| router.as_number);
        let why = match (overlay.targets.value, asn) {
            (TargetRule::Given, _) => {
                "the pattern has no room for the VNI, or there is none".to_owned()
            }
            (_, None) => format!("{name} has no AS number"),
            (_, Some(asn)) => format!("AS {} does not fit into two octets", asn.value),
        };
        let other = asn.map_or(segment.name.span, |asn| asn.span);
        out.report(
            overlay.targets.span,
            "targets are to follow from this",
            format!("no route targets can be derived on {name}: {why}"),
        )
        .related(if other == overlay.targets.span { segment.name.span } else { other }, why.clone())
        .wire(format!(
            "the routes of {} and all other segments have no target: no VTEP imports them",
            segment.name.value
        ))
        .remedy(
            "give a `target_pattern`, such as \"42041:{vni}\", or write `targets` for each segment"
                .to_owned(),
        )
        .about(presence.switch);
    }
}
