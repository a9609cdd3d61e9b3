use super::{End, report_clashes};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::UnderlayProtocol;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-area-clash",
        severity: Severity::Error,
        summary: "the two ends of a link are in different areas",
        explain: "A router takes hellos only of the area that its own end of the link is in; IS-IS \
              routers of level 1 only of their own area, and none of level 1 talks to one of \
              level 2.",
        sources: &["RFC 2328 section 8.2", "ISO/IEC 10589 clause 8.2.4.2"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
differs = [{ on = "kelp-b", area = 10 }]
"#
        ),
        mend: &[(", area = 10", "")],
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
            let (a, b) = (fabric.interface(near), fabric.interface(far));
            [near, far].map(|id| {
                let interface = fabric.interface(id);
                End {
                    device: interface.device,
                    span: if a.area.value == b.area.value {
                        interface.level.span
                    } else {
                        interface.area.span
                    },
                    text: match interface.protocol.value {
                        UnderlayProtocol::Isis => format!(
                            "{} is in area {}, level {}",
                            fabric.interface_label(id),
                            interface.area.value,
                            interface.level.value
                        ),
                        _ => format!(
                            "{} is in area {}",
                            fabric.interface_label(id),
                            interface.area.value
                        ),
                    },
                }
            })
        },
        "the ends of a link are in different areas",
        "hellos are dropped at both ends: no adjacency forms on this link",
        "put both ends into one area, and at one level",
    );
}
