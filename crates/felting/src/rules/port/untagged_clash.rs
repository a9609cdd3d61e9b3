use crate::diagnostic::Span;
use crate::rules::port::{End, bridged_links, once_a_place};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "port-untagged-clash",
        severity: Severity::Error,
        summary: "the two ends of a bridged link put untagged frames into different VLANs",
        explain: "An untagged frame belongs to the VLAN that the port it arrives at says. Where the ends \
              say different ones, two broadcast domains are joined; where one says none, what the other \
              sends untagged is dropped. (Of LAGs `lag-untagged-clash` says the same.)",
        sources: &["IEEE 802.1Q clause 6.9 (PVID)"],
        broken: r#"
[[switch]]
name = "mud-[1-2]"
ports = "p[1-2] 1G"

[[port]]
on = "mud-*"
ports = "p1"
untagged = 420
differs = [{ on = "mud-2", untagged = 421 }]

[cabling]
runs = "mud-1 p1 -- mud-2 p1"
"#,
        mend: &[("untagged = 421", "untagged = 420")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let vlan = |end: &End<'_>| end.own.untagged.map(|vlan| vlan.value);
    let place =
        |end: &End<'_>| -> Span { end.own.untagged.map_or(end.own.span.0, |vlan| vlan.span) };
    let differ = bridged_links(cx).filter(|[a, b]| vlan(a) != vlan(b));
    for ([a, b], more) in once_a_place(differ, |[_, b]| place(b)) {
        let says = |end: &End<'_>| match vlan(end) {
            Some(vlan) => format!("{} puts untagged frames into VLAN {vlan}", end.label),
            None => format!("{} puts untagged frames nowhere", end.label),
        };
        out.report(place(&b), says(&b), format!("{}, {}{more}", says(&a), says(&b)))
            .related(place(&a), says(&a))
            .wire(match (vlan(&a), vlan(&b)) {
                (Some(one), Some(other)) => {
                    format!("the VLANs {one} and {other} are one broadcast domain across this link")
                }
                _ => {
                    let (sends, drops) = if vlan(&a).is_some() { (&a, &b) } else { (&b, &a) };
                    format!(
                        "what {} sends without a tag is dropped by {}",
                        sends.label, drops.label
                    )
                }
            })
            .remedy("set one untagged VLAN at both ends, or none")
            .about(a.device)
            .about(b.device);
    }
}
