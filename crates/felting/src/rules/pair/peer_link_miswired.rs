use crate::behaviour::{Entity, agreement};
use crate::rules::lag::plug;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-peer-link-miswired",
        severity: Severity::Error,
        summary: "a cable of a peer link leads elsewhere than to the other side's peer link",
        explain: "A peer link joins the two sides and nothing else. A cable of it that ends in another \
              port or switch leaves the pair with a thinner link, or without one, and puts a stranger \
              on a port that trusts what it hears.",
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
ports = "p[1-3]"

[cabling]
runs = ["kelp-a p[1-2] -- kelp-b p[1-2]", "kelp-a p3 -- kelp-b p4"]
"#,
        mend: &[("kelp-b p4", "kelp-b p3")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Pair(id) = cause.entity else { continue };
        let pair = fabric.pair(id);
        let astray = agreement::astray(fabric, pair);
        let Some(&(near, far)) = astray.first() else { continue };
        let side = usize::from(fabric.port(near).device == pair.sides[1].switch.value);
        let other = fabric.device_name(pair.sides[1 - side].switch.value);
        let (label, far_label) = (fabric.port_label(near), fabric.port_label(far));
        let link = pair.sides[side].peer_link.map(|link| link.span);
        let named = link.or(pair.sides[side].peer_port.map(|port| port.span));
        let mut draft = out.report(
            plug(fabric, far).unwrap_or(pair.name.span),
            format!("{label} ends here"),
            format!(
                "the peer link of the pair {} is miswired: {label} leads to {far_label}, which is not in {other}'s peer link",
                pair.name.value
            ),
        );
        if let Some(place) = named {
            draft = draft.related(place, "the peer link");
        }
        draft
            .wire(match astray.len() {
                1 => "the peer link is a cable short, or not there at all".to_owned(),
                many => format!("{many} ports of the peer link join something else"),
            })
            .remedy(format!(
                "plug {label} into the peer link of {other}, or take it out of the LAG"
            ))
            .about(pair.sides[0].switch.value)
            .about(pair.sides[1].switch.value);
    }
}
