use crate::diagnostic::Span;
use crate::fabric::{DeviceId, Presence, PresenceId};
use crate::rules::segment::{carried, of_one_pair};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-segment-clash",
        severity: Severity::Error,
        summary: "a segment differs between the two sides of a pair",
        explain: "To hosts the two sides are one switch. A segment that one side does not have, or \
              has with another VNI or VRF, loses the frames that hash to that side.",
        sources: &["RFC 7348 section 4", "RFC 7432 section 6.1"],
        broken: concat!(
            part!(pair),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
gateway_mac = "02:46:00:00:00:01"
"#,
            r#"
[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[51-52]"
tagged = "310,3900"

[[interface]]
on = "kelp-a"
vlan = 3900
address = "10.64.3.0/31"

[[interface]]
on = "kelp-b"
vlan = 3900
address = "10.64.3.1/31"
"#,
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
differs = [{ on = "kelp-b", vni = 23999 }]
"#,
            r#"
[[accept]]
rule = "segment-single-vtep"
on = "tides-web"
reason = "an example"
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", vni = 23999 }]\n", "")],
    },
    check,
};

/// One kind of setting of a presence, as a text with its place.
type Kind<'a> = &'a dyn Fn(&Presence) -> Option<(String, Span)>;

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, segment) in fabric.segments() {
        if !of_one_pair(fabric, id) {
            continue;
        }
        let presences: Vec<PresenceId> = segment.presences.iter().collect();
        let [one, other] = presences[..] else { continue };
        let (a, b) = (fabric.presence(one), fabric.presence(other));
        let vni = |at: &Presence| at.vni.map(|vni| (format!("VNI {}", vni.value), vni.span));
        let vrf = |at: &Presence| {
            at.vrf.map(|vrf| (format!("VRF {}", fabric.vrf(vrf.value).name.value), vrf.span))
        };
        let vlan = |at: &Presence| at.vlan.map(|vlan| (format!("VLAN {}", vlan.value), vlan.span));
        let kinds: [Kind<'_>; 3] = [&vni, &vrf, &vlan];
        let Some(kind) =
            kinds.into_iter().find(|kind| kind(a).map(|x| x.0) != kind(b).map(|x| x.0))
        else {
            continue;
        };
        let told = |at: &Presence| kind(at).unwrap_or(("none".to_owned(), segment.name.span));
        let ((first, x), (second, y)) = (told(a), told(b));
        let (here, there) = (fabric.device_name(a.switch), fabric.device_name(b.switch));
        out.report(
            y,
            format!("{there}: {second}"),
            format!(
                "{} has {first} on {here}, {second} on {there}, the two sides of a pair",
                segment.name.value
            ),
        )
        .related(if x == y { segment.name.span } else { x }, format!("{here}: {first}"))
        .wire(format!(
            "frames that hosts hash to one side come into another segment than \
             those to the other: {} works by chance",
            segment.name.value
        ))
        .remedy("set the segment alike on both sides".to_owned())
        .about(a.switch)
        .about(b.switch)
        .about_name(&segment.name.value);
    }
    one_sided(cx, out);
}

/// Segments that one side of a pair has and the other has not.
fn one_sided(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, pair) in fabric.pairs() {
        let sides = pair.sides.each_ref().map(|side| side.switch.value);
        if sides.iter().any(|&side| fabric.vtep_of(side).is_none()) {
            continue;
        }
        let has = |side: DeviceId| {
            fabric
                .presences_on(side)
                .iter()
                .map(|&id| fabric.presence(id))
                .filter(|at| at.vni.is_some())
        };
        for (side, other) in [(sides[0], sides[1]), (sides[1], sides[0])] {
            for at in has(side) {
                let there = fabric
                    .presences_on(other)
                    .iter()
                    .any(|&id| fabric.presence(id).segment == at.segment);
                // A port that carries the VLAN there is told as that.
                let carries = || {
                    carried(fabric, other)
                        .iter()
                        .any(|(vlans, _)| at.vlan.is_some_and(|vlan| vlans.contains(vlan.value)))
                };
                if there || carries() {
                    continue;
                }
                let (name, twin, segment) = (
                    fabric.device_name(side),
                    fabric.device_name(other),
                    &fabric.segment(at.segment).name,
                );
                out.report(
                    segment.span,
                    format!("on {name} only"),
                    format!(
                        "{} is on {name}, but not on {twin}, the other side of its pair",
                        segment.value
                    ),
                )
                .related(pair.name.span, format!("{name} and {twin} are a pair"))
                .wire(format!(
                    "tunnelled frames of {} that arrive at {twin} for the shared VTEP are dropped",
                    segment.value
                ))
                .remedy(format!("put {} on {twin} too", segment.value))
                .about(side)
                .about(other)
                .about_name(&segment.value);
            }
        }
    }
}
