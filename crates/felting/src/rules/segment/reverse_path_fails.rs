use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};

use super::mapped;
use crate::behaviour::Toward;
use crate::behaviour::evpn::replication;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{IpPrefix, Replication};

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
    let mut said: FxHashSet<(DeviceId, IpAddr)> = FxHashSet::default();
    let mut routes: FxHashMap<IpAddr, Toward> = FxHashMap::default();
    for (id, segment) in fabric.segments() {
        for presence in mapped(cx, id) {
            let switch = fabric.presence(presence).switch;
            let Some(overlay) = fabric
                .overlay_of(switch)
                .filter(|_| replication(fabric, presence) == Some(Replication::Multicast))
            else {
                continue;
            };
            for point in &overlay.rendezvous {
                if !said.insert((switch, point.value)) {
                    continue;
                }
                let toward = routes
                    .entry(point.value)
                    .or_insert_with(|| cx.state.toward(IpPrefix::host(point.value)));
                let Some(blocked) = toward.blocks_joins(fabric, switch) else { continue };
                let (name, at) = (fabric.device_name(switch), fabric.interface(blocked));
                out.report(
                    at.span.0,
                    format!("{} does not route multicast", fabric.interface_label(blocked)),
                    format!(
                        "the way of {name} to the rendezvous point {} is not routed for \
                         multicast",
                        point.value
                    ),
                )
                .related(point.span, format!("rendezvous point of {}", segment.name.value))
                .wire(format!(
                    "{name} does not get what is sent to the groups, and what it sends is \
                     dropped on the way"
                ))
                .remedy("say `multicast = true` for every link of the underlay".to_owned())
                .about(switch)
                .about(at.device);
            }
        }
    }
}
