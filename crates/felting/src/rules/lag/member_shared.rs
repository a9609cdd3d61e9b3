use std::collections::BTreeMap;

use crate::diagnostic::Span;
use crate::fabric::Member;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-member-shared",
        severity: Severity::Error,
        summary: "a port in two LAGs",
        explain: "A port belongs to one aggregator at a time. A device takes the port into one of the \
              LAGs and refuses it to the other, or lets the later statement win silently.",
        sources: &["IEEE 802.1AX-2020 clause 6.4.14 (a port attaches to one aggregator)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-3] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"

[[lag]]
on = "kelp-*"
name = "tide"
ports = "p3"
differs = [{ on = "kelp-a", ports = "p2" }]

[cabling]
runs = ["kelp-a p[1-3] -- kelp-b p[1-3]"]
"#,
        mend: &[("ports = \"p2\"", "ports = \"p3\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let shared = fabric.members().filter_map(|(_, member)| Some((member, member.taken_by?)));
    // What two statements say of several ports is one fault.
    let mut of_places: BTreeMap<(Span, Span), Vec<(&Member, &Member)>> = BTreeMap::new();
    for (member, first) in shared {
        let first = fabric.member(first);
        of_places.entry((first.port.span, member.port.span)).or_default().push((first, member));
    }
    for all in of_places.into_values() {
        let (first, member) = all[0];
        let more = match all.len() {
            1 => String::new(),
            2 => ", and so is one more port".to_owned(),
            many => format!(", and so are {} more ports", many - 1),
        };
        let (port, device) = (fabric.port_label(member.port.value), fabric.lag(member.lag).device);
        let (one, other) = (&fabric.lag(first.lag).name.value, &fabric.lag(member.lag).name.value);
        let draft = out.report(
            member.port.span,
            format!("and of the LAG {other}"),
            format!("{port} is a member of two LAGs, {one} and {other}{more}"),
        )
        .related(first.port.span, format!("a member of the LAG {one}"))
        .wire(format!("{port} works in {one} or in {other}, as the device pleases; the other LAG is a member short"))
        .remedy(format!("leave {port} in the LAG that its cable leads to, and name the right port in the other"))
;
        all.iter().fold(draft.about(device), |draft, (_, member)| {
            draft.about(fabric.lag(member.lag).device)
        });
    }
}
