use crate::fabric::{DeviceKind, Fabric, Pair};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Speed;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-peer-link-thin",
        severity: Severity::Warning,
        summary: "a peer link that could not carry what a side's lost uplinks or downlinks push over it",
        explain: "When a side loses its uplinks, what its hosts send crosses the peer link; when it loses \
              its legs to the hosts, what the spines send it does. Either is as much as the smaller of \
              uplinks and downlinks of that side. A thinner peer link drops the rest just when it is \
              needed.",
        sources: &["trade practice of multi-chassis LAGs: no standard"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = ["p[1-8] 100G", "p[9-10] 10G"]

[[switch]]
name = "crest-[1-2]"
role = "spine"
ports = "p[1-8] 100G"

[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[9-10]"

[[lag]]
on = "kelp-*"
name = "silo-1"
group = 101
ports = "p[1-2]"

[[host]]
name = "silo-1"
nics = "nic[1-4] 100G"
bond = { name = "bond0", nics = "nic[1-4]" }

[cabling]
runs = [
  "silo-1 nic[1-4] -- kelp-[a-b] p[1-2]",
  "kelp-[a-b] p[5-6] -- crest-[1-2] p[1-2]",
  "kelp-a p[9-10] -- kelp-b p[9-10]",
]
"#,
        mend: &[("p[9-10] 10G", "p[9-10] 100G")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, pair) in fabric.pairs() {
        let Some(link) = pair.sides[0].peer_link else { continue };
        let Some(carries) = cx.state.lag(link.value).bandwidth else { continue };
        let loads = [0, 1].map(|side| load(fabric, pair, side));
        let Some((needs, side, up, down)) = loads.into_iter().flatten().max() else { continue };
        if carries >= needs {
            continue;
        }
        let name = fabric.device_name(pair.sides[side].switch.value);
        let lag = fabric.lag(link.value);
        let place = lag.members.get(0).map_or(lag.name.span, |id| fabric.member(id).port.span);
        out.report(
            place,
            format!("{carries} together"),
            format!(
                "the peer link of the pair {} carries {carries}, but {name} could push {needs} over it",
                pair.name.value
            ),
        )
        .related(
            pair.sides[side].switch.span,
            format!("{name} has uplinks of {up} and groups of {down}"),
        )
        .wire(format!("when {name} loses its uplinks or its legs to the hosts, all beyond {carries} is dropped at the peer link"))
        .remedy(format!("widen the peer link to {needs}, or accept that a failure costs bandwidth"))
        .about(pair.sides[0].switch.value)
        .about(pair.sides[1].switch.value);
    }
}

/// What a side could push over the peer link: the smaller of its uplinks and its halves of groups.
fn load(fabric: &Fabric, pair: &Pair, side: usize) -> Option<(Speed, usize, Speed, Speed)> {
    let device = pair.sides[side].switch.value;
    let other = pair.sides[1 - side].switch.value;
    let (mut up, mut down) = (Vec::new(), Vec::new());
    for port in fabric.device(device).ports.iter() {
        let Some((_, far)) = fabric.link(port) else { continue };
        let neighbour = fabric.port(far).device;
        let grouped = fabric.lag_of(port).is_some_and(|lag| fabric.lag(lag).group.is_some());
        if grouped {
            down.push(fabric.port(port).speed);
        } else if neighbour != other && fabric.device(neighbour).kind == DeviceKind::Switch {
            up.push(fabric.port(port).speed);
        }
    }
    let (up, down) = (Speed::sum(up.into_iter())?, Speed::sum(down.into_iter())?);
    Some((up.min(down), side, up, down))
}
