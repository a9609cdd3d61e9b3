use super::{End, report_clashes};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::UnderlayProtocol;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-protocol-clash",
        severity: Severity::Error,
        summary: "a link runs a routing protocol at one end only",
        explain: "Neighbours are found by hellos that both ends send. Where one end runs another \
              protocol, or none, the routes of neither get to the other over this link.",
        sources: &["RFC 2328 section 9.5"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
differs = [{ on = "kelp-b", protocol = "is-is" }]
"#
        ),
        mend: &[(", protocol = \"is-is\"", "")],
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
                    span: if interface.passive {
                        interface.span.0
                    } else {
                        interface.protocol.span
                    },
                    text: match interface.passive {
                        true => format!("{} is passive", fabric.interface_label(id)),
                        false => format!(
                            "{} runs {}",
                            fabric.interface_label(id),
                            protocol(interface.protocol.value)
                        ),
                    },
                }
            })
        },
        "the ends of a link run different protocols",
        "no adjacency forms on this link, and no route is learned over it",
        "run one protocol at both ends",
    );
}

fn protocol(protocol: UnderlayProtocol) -> &'static str {
    match protocol {
        UnderlayProtocol::Ospf => "OSPF",
        UnderlayProtocol::Isis => "IS-IS",
        UnderlayProtocol::Bgp => "BGP",
        UnderlayProtocol::None => "no routing protocol",
    }
}
