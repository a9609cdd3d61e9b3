use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};

use smol_str::SmolStr;

use super::mapped;
use crate::behaviour::evpn::replication;
use crate::diagnostic::{At, Span};
use crate::fabric::{DeviceId, InterfaceId};
use crate::rules::{Check, Context, Findings, Rule, Severity, some_of};
use crate::value::Replication;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-reverse-path-fails",
        severity: Severity::Error,
        summary: "the way to the rendezvous point is not routed for multicast",
        explain: "A router takes a packet to a group only from the interface that it would itself \
              use towards the sender or the rendezvous point. If multicast is not routed on that \
              link, joins don't go up it and packets are not taken from it, though unicast \
              works.",
        sources: &["RFC 7761 section 4.2", "RFC 5110 section 2.1"],
        broken: concat!(
            part!(plant),
            r#"
[[underlay]]
on = ["crest-*", "kelp-*"]
multicast = true
differs = [{ on = "kelp-b", multicast = false }]
"#,
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
replication = "multicast"
rendezvous = "10.64.8.1"
"#,
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
multicast_group = "239.64.3.10"
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", multicast = false }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut asked: FxHashSet<(DeviceId, IpAddr)> = FxHashSet::default();
    // What is switched off in one statement is one fault, whoever's way it is on.
    let mut found: Vec<Blocked> = Vec::new();
    let mut places: FxHashMap<Span, usize> = FxHashMap::default();
    for (id, segment) in fabric.segments() {
        for presence in mapped(cx, id) {
            let switch = fabric.presence(presence).switch;
            let Some(overlay) = fabric
                .overlay_of(switch)
                .filter(|_| replication(fabric, presence) == Some(Replication::Multicast))
            else {
                continue;
            };
            for &point in &overlay.rendezvous {
                if !asked.insert((switch, point.value)) {
                    continue;
                }
                let Some(at) = cx.state.blocks_joins(switch, point.value) else { continue };
                let place = fabric.interface(at).multicast.span;
                let known = *places.entry(place).or_insert_with(|| {
                    let segment = segment.name.value.clone();
                    found.push(Blocked { at, point, segment, switches: Vec::new() });
                    found.len() - 1
                });
                if !found[known].switches.contains(&switch) {
                    found[known].switches.push(switch);
                }
            }
        }
    }
    for blocked in found {
        report(cx, &blocked, out);
    }
}

/// An interface that stops joins, and whose.
struct Blocked {
    at: InterfaceId,
    point: At<IpAddr>,
    segment: SmolStr,
    switches: Vec<DeviceId>,
}

fn report(cx: &Context<'_>, blocked: &Blocked, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let at = fabric.interface(blocked.at);
    let label = fabric.interface_label(blocked.at);
    let names: Vec<&str> =
        blocked.switches.iter().map(|&switch| fabric.device_name(switch)).collect();
    let (who, many) = (some_of(&names), names.len() > 1);
    let draft = out
        .report(
            at.multicast.span,
            format!("{label} does not route multicast"),
            format!(
                "the way of {who} to the rendezvous point {} is not routed for multicast at {label}",
                blocked.point.value
            ),
        )
        .related(blocked.point.span, format!("rendezvous point of {}", blocked.segment))
        .wire(match many {
            true => format!("{who} don\u{2019}t get what is sent to the groups"),
            false => format!("{who} does not get what is sent to the groups, nor do others get what it sends"),
        })
        .remedy("say `multicast = true` for every link of the underlay")
        .about(at.device);
    blocked.switches.iter().fold(draft, |draft, &switch| draft.about(switch));
}
