use rustc_hash::{FxHashMap, FxHashSet};

use crate::diagnostic::Span;
use crate::fabric::{DeviceId, InterfacePlace, SegmentId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::VlanId;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-vlan-reused-on-switch",
        severity: Severity::Error,
        summary: "two segments, or a segment and a routed link, have one VLAN on one switch",
        explain: "On a switch a VLAN is one broadcast domain. Two segments with one VLAN are one \
              there, and only one of their VNIs can be mapped to it. So it is with a VLAN over which the underlay is routed.",
        sources: &["IEEE 802.1Q clause 6.9", "RFC 7432 section 6.1"],
        broken: concat!(
            part!(fabric),
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
"#,
            r#"
[[segment]]
name = "tides-store"
number = 312
vlan = 310
vni = 23312
on = "kelp-*"
"#
        ),
        mend: &[("number = 312\nvlan = 310", "number = 312\nvlan = 312")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    routed_in_the_underlay(cx, out);
    let fabric = cx.fabric;
    let mut said: FxHashSet<(Span, Span)> = FxHashSet::default();
    let mut first: FxHashMap<(DeviceId, VlanId), (SegmentId, Span)> = FxHashMap::default();
    for (_, presence) in fabric.presences() {
        let Some(vlan) = presence.vlan else { continue };
        let &mut (other, place) =
            first.entry((presence.switch, vlan.value)).or_insert((presence.segment, vlan.span));
        if other == presence.segment || !said.insert((vlan.span, place)) {
            continue;
        }
        let (name, segment, twin) = (
            fabric.device_name(presence.switch),
            &fabric.segment(presence.segment).name,
            &fabric.segment(other).name,
        );
        out.report(
            vlan.span,
            format!("VLAN of {}", segment.value),
            format!("{} and {} both have VLAN {} on {name}", twin.value, segment.value, vlan.value),
        )
        .related(place, format!("VLAN of {}", twin.value))
        .wire(match presence.vni {
            Some(_) => format!(
                "hosts of both are in one broadcast domain on {name}, and only one of \
                 the two VNIs carries it on"
            ),
            None => format!("hosts of both are in one broadcast domain on {name}"),
        })
        .remedy("give each segment a VLAN of its own on the switch".to_owned())
        .about(presence.switch)
        .about_name(&segment.value)
        .about_name(&twin.value);
    }
}

/// VLANs of segments over which the underlay is routed, as over a peer link: one broadcast domain with its hosts.
fn routed_in_the_underlay(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<(Span, SegmentId)> = FxHashSet::default();
    for (_, router) in fabric.routers() {
        let own = router.interfaces.iter().map(|id| fabric.interface(id));
        for interface in own.filter(|interface| interface.vrf.is_none()) {
            let InterfacePlace::Vlan(vlan) = interface.place else { continue };
            let here = fabric.presences_on(interface.device).iter();
            let here = here.map(|&id| fabric.presence(id)).find(|presence| {
                presence.vni.is_some() && presence.vlan.is_some_and(|own| own.value == vlan)
            });
            let Some((presence, of)) = here.and_then(|here| Some((here, here.vlan?))) else {
                continue;
            };
            if !said.insert((interface.span.0, presence.segment)) {
                continue;
            }
            let name = fabric.device_name(interface.device);
            let segment = &fabric.segment(presence.segment).name;
            out.report(
                interface.span.0,
                format!("{name} routes the underlay over VLAN {vlan}"),
                format!(
                    "VLAN {vlan} of {name} is that of the segment {}, and the underlay is routed over it",
                    segment.value
                ),
            )
            .related(of.span, format!("VLAN of {}", segment.value))
            .wire(format!(
                "the routers at this link and the hosts of {} are in one broadcast domain on {name}, as far as its \
                 ports carry the VLAN",
                segment.value
            ))
            .remedy("give the routed VLAN a number that no segment on the switch has".to_owned())
            .about(interface.device)
            .about_name(&segment.value);
        }
    }
}
