use super::{Ends, wires};
use crate::fabric::Pseudowire;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::WireEncapsulation;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-encapsulation-clash",
        severity: Severity::Error,
        summary: "the two ends of a pseudowire carry frames in different ways",
        explain: "Both ends put the same headers on: L2TPv3 or VXLAN, over IP or over UDP to one port, with the layer 2 specific \
              sublayer or without. What comes with other headers is dropped, or its first octets are taken for something else.",
        sources: &["RFC 3931 sections 4.1 and 4.6", "RFC 7348 section 5"],
        broken: concat!(
            part!(far_apart),
            part!(wire_here),
            r#"
[[pseudowire]]
name = "tide-bus"
on = "skerry-a"
port = "p1"
to = "inlet-a"
session = { local = 41, remote = 17 }
over = "udp"
"#
        ),
        mend: &[("over = \"udp\"", "over = \"ip\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    for ends in wires(cx.fabric).filter(Ends::face) {
        let Some((key, spans)) = ends.carry_apart() else { continue };
        let [a, b] = [ends.a, ends.b];
        let (name, [here, there]) = ends.said(cx.fabric, a, b);
        let shown = |end: &Pseudowire| match key {
            "sublayer" if end.sublayer.value => "with the layer 2 specific sublayer".to_owned(),
            "sublayer" => "without the layer 2 specific sublayer".to_owned(),
            "udp_port" => format!("from UDP port {} to {}", end.udp_port.value, end.to_port.value),
            "over" => format!("L2TPv3 over {}", end.over.value.word().to_uppercase()),
            _ => match end.encapsulation.value {
                WireEncapsulation::L2tpv3 => "L2TPv3".to_owned(),
                WireEncapsulation::Vxlan => "VXLAN".to_owned(),
            },
        };
        let (shown_a, shown_b) = (shown(a), shown(b));
        out.report(
            spans[1],
            format!("{there}: {shown_b}"),
            format!("{name}: {here} carries frames {shown_a}, {there} {shown_b}"),
        )
        .related(spans[0], format!("{here}: {shown_a}"))
        .wire(ends.consequence(cx))
        .remedy(format!("write one `{key}` for both ends"))
        .about(a.device)
        .about(b.device)
        .about_name(&a.name.value);
    }
}
