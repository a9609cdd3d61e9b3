use super::{End, report_clashes};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-network-type-clash",
        severity: Severity::Error,
        summary: "one end of a link takes it for two routers, the other for many",
        explain: "The adjacency comes up, but the two routers describe the link differently: one as \
              a link to a router, the other as a network with a designated router. Neither \
              description matches the other, so the shortest paths leave the link out.",
        sources: &["RFC 2328 section 16.1", "RFC 5309"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
differs = [{ on = "kelp-b", network_type = "broadcast" }]
"#
        ),
        mend: &[(", network_type = \"broadcast\"", "")],
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
                    span: interface.network_type.span,
                    text: format!(
                        "{} takes it for {}",
                        fabric.interface_label(id),
                        interface.network_type.value
                    ),
                }
            })
        },
        "the ends of a link differ in its network type",
        "the neighbours are shown as adjacent, but no route goes over the link",
        "set one network type at both ends, point-to-point for a link of two routers",
    );
}
