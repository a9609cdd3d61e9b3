use crate::behaviour::{InBand, KeepalivePath};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-keepalive-in-band",
        severity: Severity::Warning,
        summary: "the keepalive rides on the peer link that it must judge",
        explain: "The keepalive has one purpose: to tell, while the peer link is down, whether the other \
              side lives. One that crosses the peer link goes down with it, and tells nothing.",
        sources: &["trade practice of multi-chassis LAGs: no standard"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-4] 100G"

[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["10.80.39.1", "10.80.39.2"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[1-2]"
tagged = 399

[[segment]]
name = "pulse"
vlan = 399
subnet = "10.80.39.0/30"
on = "kelp-*"

[[management]]
name = "yard"
subnet = "192.0.2.0/24"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[
            ("[\"10.80.39.1\", \"10.80.39.2\"]", "[\"192.0.2.11\", \"192.0.2.12\"]"),
            ("subnet = \"192.0.2.0/24\"", "subnet = \"192.0.2.0/24\"\non = \"kelp-*\""),
            ("name = \"kelp-[a-b]\"", "name = \"kelp-[a-b]\"\nnumber = 11"),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, pair) in fabric.pairs() {
        let paths = cx.state.pair(id).keepalive;
        let found = (0..2).find_map(|side| match paths[side] {
            KeepalivePath::InBand(by) => Some((side, by)),
            _ => None,
        });
        let Some((side, by)) = found else { continue };
        let Some(keepalive) = &pair.sides[side].keepalive else { continue };
        let name = fabric.device_name(pair.sides[side].switch.value);
        let (place, text) = match by {
            InBand::Link(lag) => {
                let lag = fabric.lag(lag);
                let place = lag.addresses.first().map_or(lag.name.span, |address| address.span);
                (place, "an address of the peer link".to_owned())
            }
            InBand::Routes => {
                let link = pair.sides[side].peer_link.map(|link| link.span);
                let place = link.unwrap_or(pair.name.span);
                (place, "all routes to the other side cross it".to_owned())
            }
            InBand::Segment(segment) => {
                let segment = fabric.segment(segment);
                let place = segment.subnets.first().map_or(segment.name.span, |subnet| subnet.span);
                (place, format!("in {}, which crosses the peer link", segment.name.value))
            }
        };
        out.report(
            keepalive.from.span,
            format!("{name} sends from {}", keepalive.from.value),
            format!("the keepalive of the pair {} crosses the peer link that it must judge", pair.name.value),
        )
        .related(place, text)
        .wire("when the peer link fails, the keepalive fails with it, and both sides carry on as primary")
        .remedy("send the keepalive over the management network, or over a routed link of its own")
        .about(pair.sides[0].switch.value)
        .about(pair.sides[1].switch.value);
    }
}
