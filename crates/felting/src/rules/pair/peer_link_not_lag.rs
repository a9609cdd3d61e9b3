use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-peer-link-not-lag",
        severity: Severity::Warning,
        summary: "a peer link is a single port and not a LAG",
        explain: "The peer link is what keeps a pair together: when it is down, the secondary closes its \
              ports or both sides go their own way. A LAG of two cables, better on two line cards, \
              survives the loss of one.",
        sources: &["trade practice of multi-chassis LAGs: no standard"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 100G"

[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "p1"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[
            ("peer_link = \"p1\"", "peer_link = \"peer\""),
            (
                "[cabling]",
                "[[lag]]\non = \"kelp-*\"\nname = \"peer\"\nports = \"p[1-2]\"\n\n[cabling]",
            ),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, pair) in fabric.pairs() {
        let bare: Vec<_> = pair.sides.iter().filter_map(|side| side.peer_port).collect();
        let Some(first) = bare.first() else { continue };
        let labels: Vec<_> = bare.iter().map(|port| fabric.port_label(port.value)).collect();
        out.report(
            first.span,
            "a port, not a LAG",
            format!(
                "the peer link of the pair {} is not a LAG: {}",
                pair.name.value,
                labels.join(" and ")
            ),
        )
        .related(fabric.port(first.value).span.0, format!("{} is one port", labels[0]))
        .wire("the loss of one cable takes the peer link down, and with it half of the pair")
        .remedy("make a LAG of two cables between the sides, and name that")
        .about(pair.sides[0].switch.value)
        .about(pair.sides[1].switch.value);
    }
}
