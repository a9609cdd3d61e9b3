use crate::behaviour::Entity;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-peer-link-grouped",
        severity: Severity::Error,
        summary: "a peer link that is in a group of its own pair",
        explain: "A group presents the system identifier of the pair, at both sides the same. On the peer link each \
              side so hears from the other what it says itself, takes the link for one that leads back to \
              it, and does not aggregate it.",
        sources: &["IEEE 802.1AX-2020 clause 6.4.14.1"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 100G"

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
group = 100

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("group = 100\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Pair(id) = cause.entity else { continue };
        let pair = fabric.pair(id);
        let grouped = pair.sides.iter().find_map(|side| {
            let link = side.peer_link?;
            Some((side, link, fabric.lag(link.value).group_number?))
        });
        let Some((side, link, number)) = grouped else { continue };
        let device = fabric.device_name(side.switch.value);
        out.report(
            number.span,
            format!("group {} on {device}", number.value),
            format!(
                "the peer link of the pair {} is in group {}, so each side hears its own system there",
                pair.name.value, number.value
            ),
        )
        .related(link.span, "the peer link")
        .wire(super::without_peer_link(cx, id))
        .remedy(format!("take `group` off the LAG {}", fabric.lag(link.value).name.value))
        .about(pair.sides[0].switch.value)
        .about(pair.sides[1].switch.value);
    }
}
