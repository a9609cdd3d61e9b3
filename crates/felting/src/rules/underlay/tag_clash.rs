use super::{End, report_clashes};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-tag-clash",
        severity: Severity::Error,
        summary: "the two ends of a link use different tags",
        explain: "A sub-interface takes only frames of its tag. With different tags at the two ends \
              each side drops all that the other sends, while the link itself is up.",
        sources: &["IEEE 802.1Q clause 8.6.2"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]

[[interface]]
on = "kelp-b"
port = "p49"
tag = 100
address = "10.64.0.193/31"

[[interface]]
on = "crest-1"
port = "p2"
tag = 101
address = "10.64.0.192/31"
"#
        ),
        mend: &[("tag = 101", "tag = 100")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    report_clashes(
        cx,
        out,
        RULE.rule.id,
        |near, far| {
            [near, far].map(|id| {
                let interface = fabric.interface(id);
                End {
                    device: interface.device,
                    span: interface.tag.map_or(interface.span.0, |tag| tag.span),
                    text: interface.tag.map_or_else(
                        || format!("{} is untagged", fabric.interface_label(id)),
                        |tag| {
                            format!("tag {} on {}", tag.value, fabric.device_name(interface.device))
                        },
                    ),
                }
            })
        },
        "the ends of a link use different tags",
        "each end drops the frames of the other as of a VLAN that it does not \
         have: no adjacency forms",
        "use one tag at both ends",
    );
}
