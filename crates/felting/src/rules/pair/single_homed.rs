use rustc_hash::FxHashSet;

use crate::behaviour::carrier::carried;
use crate::fabric::{DeviceId, DeviceKind, Fabric, PortId};
use crate::rules::cable::is_misplugged;
use crate::rules::lag::plug;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-single-homed",
        severity: Severity::Hint,
        summary: "something hangs on one side of a pair only",
        explain: "What hangs on one side is cut off when that side fails. When the peer link fails it is \
              cut off from all that the primary serves, if it hangs on the secondary. (A host with one \
              NIC is reported as such.)",
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
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[1-2]"
tagged = 312

[[lag]]
on = "kelp-a"
name = "silo-1"
ports = "p[3-4]"
tagged = 312

[[host]]
name = "silo-1"
nics = "nic[1-2] 100G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = ["kelp-a p[1-2] -- kelp-b p[1-2]", "silo-1 nic[1-2] -- kelp-a p[3-4]"]
"#,
        mend: &[
            (
                "on = \"kelp-a\"\nname = \"silo-1\"\nports = \"p[3-4]\"",
                "on = \"kelp-*\"\nname = \"silo-1\"\ngroup = 101\nports = \"p3\"",
            ),
            ("-- kelp-a p[3-4]", "-- kelp-[a-b] p3"),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, pair) in fabric.pairs() {
        let sides = pair.sides.each_ref().map(|side| side.switch.value);
        let both = sides.map(|side| neighbours(fabric, side, sides));
        for side in 0..2 {
            let mut told = FxHashSet::default();
            for &(port, far) in &both[side] {
                let neighbour = fabric.port(far).device;
                let elsewhere =
                    both[1 - side].iter().any(|&(_, other)| fabric.port(other).device == neighbour);
                // A LAG whose partners are at fault is led to the right ones first.
                let tangled = [port, far]
                    .iter()
                    .any(|&end| fabric.lag_of(end).is_some_and(|lag| cx.state.lag(lag).tangled));
                let misplugged = is_misplugged(cx, neighbour);
                // Where a bond has a NIC for the other side, its cable is missing.
                let bare = fabric.lag_of(far).is_some_and(|bond| {
                    let mut members = fabric.lag(bond).members.iter();
                    members.any(|id| fabric.link(fabric.member(id).port.value).is_none())
                });
                if elsewhere || tangled || misplugged || bare || !told.insert(neighbour) {
                    continue;
                }
                let (own, name) = (fabric.device_name(sides[side]), fabric.device_name(neighbour));
                out.report(
                    plug(fabric, port).unwrap_or(pair.name.span),
                    format!("only on {own}"),
                    format!("{name} hangs on {own} only, not on {} too", fabric.device_name(sides[1 - side])),
                )
                .related(pair.name.span, format!("{own} is a side of this pair"))
                .wire(format!("{name} is cut off when {own} fails, and in part when the peer link does"))
                .remedy(format!("lead a cable of {name} to the other side too, with one group on both, or accept it with the reason"))
                .when_lost(own)
                .about(neighbour)
                .about(sides[side]);
            }
        }
    }
}

/// What bridged ports of a side lead to, without the other side, and without hosts of one NIC.
fn neighbours(fabric: &Fabric, side: DeviceId, sides: [DeviceId; 2]) -> Vec<(PortId, PortId)> {
    let bridged = |port: PortId| match fabric.lag_of(port) {
        Some(lag) => {
            let lag = fabric.lag(lag);
            !lag.tagged.is_empty() || lag.untagged.is_some()
        }
        None => fabric
            .settings_of(port)
            .is_some_and(|settings| !settings.tagged.is_empty() || settings.untagged.is_some()),
    };
    let ports = fabric.device(side).ports.iter().filter(|&port| bridged(port));
    ports
        .filter_map(|port| Some((port, fabric.link(port)?.1)))
        .filter(|&(_, far)| {
            let device = fabric.device(fabric.port(far).device);
            let single = device.kind == DeviceKind::Host && device.ports.len() == 1;
            // A switch that carries no VLAN there does not hang on it: the one end is set wrong.
            let bridged = device.kind == DeviceKind::Host
                || carried(fabric, far)
                    .is_some_and(|(tagged, untagged)| !tagged.is_empty() || untagged.is_some());
            !sides.contains(&fabric.port(far).device) && !single && bridged
        })
        .collect()
}
