use super::{Ends, wires};
use crate::behaviour::WireFault;
use crate::diagnostic::Span;
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
        let all = [0, 1].map(|from| ends.misfits(from));
        let Some(clash) = all.iter().flatten().find_map(|&why| Clash::of(why)) else { continue };
        let (name, [here, there]) = ends.said(cx.fabric, ends.a, ends.b);
        let (shown_a, shown_b) = (clash.shown(ends.a), clash.shown(ends.b));
        out.report(
            clash.span(ends.b),
            format!("{there}: {shown_b}"),
            format!("{name}: {here} carries frames {shown_a}, {there} {shown_b}"),
        )
        .related(clash.span(ends.a), format!("{here}: {shown_a}"))
        .wire(ends.consequence(cx))
        .remedy(clash.remedy())
        .about(ends.a.device)
        .about(ends.b.device)
        .about_name(&ends.a.name.value);
    }
}

/// In what two ends carry frames otherwise.
#[derive(Clone, Copy)]
enum Clash {
    Encapsulation,
    Over,
    Port,
    Sublayer,
}

impl Clash {
    fn of(why: WireFault) -> Option<Self> {
        match why {
            WireFault::Encapsulation(_) => Some(Self::Encapsulation),
            WireFault::Over(_) => Some(Self::Over),
            WireFault::UdpPort(_) => Some(Self::Port),
            WireFault::Sublayer(_) => Some(Self::Sublayer),
            _ => None,
        }
    }

    fn shown(self, end: &Pseudowire) -> String {
        match self {
            Self::Encapsulation => match end.encapsulation.value {
                WireEncapsulation::L2tpv3 => "by L2TPv3".to_owned(),
                WireEncapsulation::Vxlan => "by VXLAN".to_owned(),
            },
            Self::Over => format!("by L2TPv3 over {}", end.over.value.word().to_uppercase()),
            Self::Port => {
                format!(
                    "to UDP port {} and takes them at {}",
                    end.to_port.value, end.udp_port.value
                )
            }
            Self::Sublayer if end.sublayer.value => "with the layer 2 specific sublayer".to_owned(),
            Self::Sublayer => "without the layer 2 specific sublayer".to_owned(),
        }
    }

    fn span(self, end: &Pseudowire) -> Span {
        match self {
            Self::Encapsulation => end.encapsulation.span,
            Self::Over => end.over.span,
            Self::Port => end.udp_port.span,
            Self::Sublayer => end.sublayer.span,
        }
    }

    fn remedy(self) -> String {
        match self {
            Self::Encapsulation => "write one `encapsulation` at both ends".to_owned(),
            Self::Over => "write one `over` at both ends".to_owned(),
            Self::Port => "let `to_port` of each end be `udp_port` of the other".to_owned(),
            Self::Sublayer => "write one `sublayer` at both ends".to_owned(),
        }
    }
}
