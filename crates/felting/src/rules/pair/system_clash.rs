use crate::behavior::Entity;
use crate::rules::{Context, Findings, Rule, Severity};

pub(super) static RULE: Rule = Rule {
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
ports = "et[1-3] 25G"

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
ports = "et[2-3]"

[[lag]]
on = "kelp-*"
name = "hull-01"
group = 101
ports = "et1"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = ["hull-01 nic[1-2] -- kelp-[a-b] et1", "kelp-a et[2-3] -- kelp-b et[2-3]"]
"#,
    mend: &[("system_priority = 200", "system_priority = 100")],
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.id) {
        let Entity::Pair(id) = cause.entity else { continue };
        let pair = fabric.pair(id);
        let [a, b] = &pair.sides;
        let name = |side: &crate::fabric::Side| fabric.device_name(side.switch.value);
        let place = |side: &crate::fabric::Side| {
            side.system_priority_at.map_or(side.switch.span, |priority| priority.span)
        };
        out.report(
            place(b),
            format!("{} presents {}", name(b), b.system_priority),
            format!(
                "the sides of the pair {} present different LACP system priorities: {} {}, {} {}",
                pair.name.value, name(a), a.system_priority, name(b), b.system_priority
            ),
        )
        .related(place(a), format!("{} presents {}", name(a), a.system_priority))
        .wire("each of their groups is two partners to its far end, and only one of the halves is used")
        .remedy("write the same system priority on both sides")
        .about(a.switch.value)
        .about(b.switch.value);
    }
}
