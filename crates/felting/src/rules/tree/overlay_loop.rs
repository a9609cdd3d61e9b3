use rustc_hash::FxHashSet;

use crate::behaviour::carrier::Node;
use crate::fabric::{DeviceId, DeviceKind, Fabric, PresenceId};
use crate::rules::segment::carried;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::VlanSet;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tree-overlay-loop",
        severity: Severity::Error,
        summary: "a layer 2 island has two doors into one segment",
        explain: "BPDUs do not cross VXLAN. An access switch that is bridged to two VTEPs, which are \
              no pair and no Ethernet segment to it, closes a loop through the overlay that no \
              spanning tree sees.",
        sources: &["RFC 7432 section 8.5", "IEEE 802.1Q clause 13"],
        broken: concat!(
            r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "p[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = ["p[1-8] 25G", "p[49-52] 100G"]

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

[[management]]
name = "yard"
subnet = "192.0.2.0/24"
on = "kelp-*"

[cabling]
runs = [
  "kelp-a p[49-50] -- crest-[1-2] p1",
  "kelp-b p[49-50] -- crest-[1-2] p2",
  "jetty up[1-2] -- kelp-[a-b] p2",
]
"#,
            part!(ospf),
            part!(one_as),
            part!(reflected),
            part!(vteps),
            part!(segment),
            r#"
[[switch]]
name = "jetty"
number = 21
role = "access"
ports = "up[1-2] 25G"

[[port]]
on = "jetty"
ports = "up[1-2]"
tagged = "310"

[[port]]
on = "kelp-*"
ports = "p2"
tagged = "310"

[[tree]]
on = ["kelp-*"]
priority = 4096
differs = [{ on = "kelp-b", priority = 8192 }]
"#
        ),
        mend: &[
            ("ports = \"up[1-2]\"\ntagged = \"310\"", "ports = \"up1\"\ntagged = \"310\""),
            ("on = \"kelp-*\"\nports = \"p2\"", "on = \"kelp-a\"\nports = \"p2\""),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let carriers = cx.state.carriers();
    let mut said: FxHashSet<(PresenceId, PresenceId)> = FxHashSet::default();
    let switches = fabric.devices().filter(|(id, device)| {
        device.kind == DeviceKind::Switch && fabric.overlay_of(*id).is_none()
    });
    for (switch, device) in switches {
        if fabric.overlays().len() == 0 {
            return;
        }
        let vlans: VlanSet =
            carried(fabric, switch).iter().flat_map(|(vlans, _)| vlans.iter()).collect();
        for vlan in vlans.iter() {
            let doors = carriers.doors(Node { device: switch, part: 0 }, vlan);
            let apart = |a: PresenceId, b: PresenceId| {
                let (x, y) = (fabric.presence(a), fabric.presence(b));
                x.segment == y.segment
                    && fabric.pair_of(x.switch, y.switch).is_none()
                    && !share_segment(fabric, x.switch, y.switch, switch)
            };
            let Some((one, other)) = doors.iter().enumerate().find_map(|(index, &one)| {
                doors[..index].iter().find(|&&other| apart(one, other)).map(|&other| (other, one))
            }) else {
                continue;
            };
            if !said.insert((one, other)) {
                continue;
            }
            let names =
                [one, other].map(|presence| fabric.device_name(fabric.presence(presence).switch));
            let segment = &fabric.segment(fabric.presence(one).segment).name;
            out.report(
                device.name.span,
                format!("bridged to {} and {}", names[0], names[1]),
                format!(
                    "{} joins {} and {} in VLAN {vlan}, which {} joins too: a loop through \
                     the overlay",
                    device.name.value, names[0], names[1], segment.value
                ),
            )
            .related(segment.span, format!("{} joins them by its VNI", segment.value))
            .wire(format!(
                "a broadcast in {} goes round for ever, by {} and back by VXLAN; no \
                 spanning tree sees it",
                segment.value, device.name.value
            ))
            .remedy(format!(
                "let {} have one door: one leaf, or a LAG to a pair or an Ethernet \
                 segment",
                device.name.value
            ))
            .about(switch)
            .about(fabric.presence(one).switch)
            .about(fabric.presence(other).switch)
            .about_name(&segment.value);
        }
    }
}

/// Whether two leaves are of one Ethernet segment that leads to a switch.
fn share_segment(fabric: &Fabric, a: DeviceId, b: DeviceId, switch: DeviceId) -> bool {
    fabric.ethernet_segments().any(|(_, es)| {
        let on = |device: DeviceId| es.legs.iter().any(|&leg| fabric.lag(leg).device == device);
        let leads = es.legs.iter().flat_map(|&leg| fabric.lag(leg).members.iter()).any(|member| {
            fabric
                .link(fabric.member(member).port.value)
                .is_some_and(|(_, far)| fabric.port(far).device == switch)
        });
        on(a) && on(b) && leads
    })
}
