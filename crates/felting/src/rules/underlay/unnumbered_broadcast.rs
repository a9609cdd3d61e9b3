use super::report_wrong;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::NetworkType;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-unnumbered-broadcast",
        severity: Severity::Error,
        summary: "a link without addresses is set to be a broadcast network",
        explain: "On a broadcast network OSPF drops packets from outside the subnet of the receiving \
              interface, and an unnumbered interface has none. Only point-to-point links can go \
              without addresses of their own.",
        sources: &["RFC 2328 sections 8.2 and 9"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
unnumbered = true
network_type = "broadcast"
"#
        ),
        mend: &[("network_type = \"broadcast\"\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    report_wrong(
        cx,
        out,
        RULE.rule.id,
        |interface| interface.network_type.value != NetworkType::PointToPoint,
        |interface| interface.network_type.span,
        |_, label| {
            (
                "a broadcast network".to_owned(),
                format!("{label} is unnumbered, and set to be a broadcast network"),
                "no adjacency forms: each end drops the hellos of the other".to_owned(),
                "set `network_type` to point-to-point, or give the link addresses".to_owned(),
            )
        },
    );
}
