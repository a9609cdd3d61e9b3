use super::{End, report_clashes};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-mtu-clash",
        severity: Severity::Error,
        summary: "two routers on a link have different MTUs",
        explain: "OSPF neighbours tell each other their MTU while they exchange databases, and refuse \
              a larger one than their own: the adjacency sticks there for good. IS-IS pads its \
              hellos to the MTU, and the smaller end drops them.",
        sources: &["RFC 2328 section 10.6", "ISO/IEC 10589 clause 8.2.3"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]

[[interface]]
on = "kelp-b"
port = "p49"
mtu = 9000

[[interface]]
on = "crest-1"
port = "p2"
mtu = 9216
"#
        ),
        mend: &[("mtu = 9000", "mtu = 9216")],
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
                    span: interface.mtu.map_or(interface.span.0, |mtu| mtu.span),
                    text: format!(
                        "{} takes {} bytes",
                        fabric.interface_label(id),
                        interface.mtu.map_or(0, |mtu| mtu.get())
                    ),
                }
            })
        },
        "the ends of a link have different MTUs",
        "the adjacency sticks while databases are exchanged: no route goes over this link",
        "set one MTU at both ends",
    );
}
