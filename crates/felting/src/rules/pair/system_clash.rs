use crate::behaviour::Entity;
use crate::fabric::{Group, LagId, Pair, Side};
use crate::rules::lag::identity_place;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-system-clash",
        severity: Severity::Error,
        summary: "the sides of a pair present different LACP systems",
        explain: "A far end takes the two sides for one partner because both present one system \
              identifier: priority and MAC address. With different priorities they are two systems, \
              and each multi-chassis LAG looks like two, of which one half only is used.",
        sources: &["IEEE 802.1AX clause 6.3.2", "IEEE 802.1AX clause 6.3.6"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-3] 25G"

[[pair]]
name = "kelp"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }
[[pair.side]]
switch = "kelp-a"
system_priority = 100
[[pair.side]]
switch = "kelp-b"
system_priority = 200

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[2-3]"

[[lag]]
on = "kelp-*"
name = "hull-01"
group = 101
ports = "p1"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = ["hull-01 nic[1-2] -- kelp-[a-b] p1", "kelp-a p[2-3] -- kelp-b p[2-3]"]
"#,
        mend: &[("system_priority = 200", "system_priority = 100")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    for cause in cx.state.causes().of(RULE.rule.id) {
        match cause.entity {
            Entity::Pair(id) => pair(cx, cx.fabric.pair(id), out),
            Entity::Group(id) => group(cx, cx.fabric.group(id), out),
            _ => {}
        }
    }
}

fn pair(cx: &Context<'_>, pair: &Pair, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let [a, b] = &pair.sides;
    let name = |side: &Side| fabric.device_name(side.switch.value);
    let place =
        |side: &Side| side.system_priority_at.map_or(side.switch.span, |priority| priority.span);
    out.report(
        place(b),
        format!("{} presents {}", name(b), b.system_priority),
        format!(
            "the sides of the pair {} present different LACP system priorities: {} {}, {} {}",
            pair.name.value,
            name(a),
            a.system_priority,
            name(b),
            b.system_priority
        ),
    )
    .related(place(a), format!("{} presents {}", name(a), a.system_priority))
    .wire("each of their groups is two partners to its far end, and only one of the halves is used")
    .remedy("write the same system priority on both sides")
    .about(a.switch.value)
    .about(b.switch.value);
}

/// The pair agrees, but the two halves of a group are set otherwise.
fn group(cx: &Context<'_>, group: &Group, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let [Some(a), Some(b)] = group.halves else { return };
    let says = |half: LagId| {
        let system = cx.state.lag(half).system.map_or_else(String::new, |id| id.to_string());
        let device = fabric.device_name(fabric.lag(half).device);
        format!("{device} presents {system}, key {}", fabric.lacp_key(half))
    };
    let place = |half: LagId, other: LagId| {
        identity_place(cx, half, other).unwrap_or(fabric.lag(half).name.span)
    };
    out.report(
        place(b, a),
        says(b),
        format!(
            "the two halves of LAG group {} are two partners to LACP: {}, {}",
            group.number,
            says(a),
            says(b)
        ),
    )
    .related(place(a, b), says(a))
    .wire("the far end uses the links to one of the halves; the others are left out of its LAG")
    .remedy("set one `system`, `system_priority` and `key` on both halves, or none")
    .about(fabric.lag(a).device)
    .about(fabric.lag(b).device);
}
