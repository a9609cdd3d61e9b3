use super::{End, report_clashes};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-subnet-clash",
        severity: Severity::Error,
        summary: "the two ends of a link are not in one subnet",
        explain: "A router sends to a next hop by the subnet of the link. If the two ends are in \
              different subnets, have one address, or one has none, neither finds the other, and \
              hellos are ignored. An unnumbered end, which borrows its loopback, needs an \
              unnumbered end at the other side.",
        sources: &["RFC 2328 section 8.2", "RFC 3021", "RFC 6164"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]

[[port]]
on = "kelp-b"
ports = "p49"
address = "10.64.0.195/31"
"#
        ),
        mend: &[("10.64.0.195/31", "10.64.0.193/31")],
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
                    span: match (interface.addresses.first(), interface.unnumbered.value) {
                        (Some(address), false) => address.span,
                        _ => interface.unnumbered.span,
                    },
                    text: match (interface.addresses.first(), interface.unnumbered.value) {
                        (_, true) => format!("{} is unnumbered", fabric.interface_label(id)),
                        (Some(address), _) => {
                            format!("{} has {}", fabric.interface_label(id), address.value)
                        }
                        (None, _) => format!("{} has no address", fabric.interface_label(id)),
                    },
                }
            })
        },
        "the ends of a link are not in one subnet",
        "neither end sends to the other: no adjacency forms, and no packet takes this link",
        "give both ends an address of one subnet, or let the pool allot both",
    );
}
