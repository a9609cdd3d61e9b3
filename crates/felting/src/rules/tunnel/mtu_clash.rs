use super::{Ends, wires};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-mtu-clash",
        severity: Severity::Warning,
        summary: "the two ends of a pseudowire take packets of different sizes",
        explain: "Each end drops what is larger than its MTU. Where the two differ large packets get through one way and not the other: a \
              ping with small packets is answered, and transfers hang.",
        sources: &["RFC 4719 section 4"],
        broken: concat!(
            part!(far_apart),
            r#"
[[pseudowire]]
name = "tide-bus"
on = "inlet-a"
port = "p1"
to = "skerry-a"
session = { local = 17, remote = 41 }
mtu = 1500
"#,
            r#"
[[pseudowire]]
name = "tide-bus"
on = "skerry-a"
port = "p1"
to = "inlet-a"
session = { local = 41, remote = 17 }
mtu = 1400
"#
        ),
        mend: &[("mtu = 1400", "mtu = 1500")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    for ends in wires(cx.fabric).filter(Ends::face) {
        let (a, b) = if ends.a.mtu.map(|mtu| mtu.get()) < ends.b.mtu.map(|mtu| mtu.get()) {
            (ends.b, ends.a)
        } else {
            (ends.a, ends.b)
        };
        let (Some(large), Some(small)) = (a.mtu, b.mtu) else { continue };
        if large.value == small.value {
            continue;
        }
        let (name, [here, there]) = ends.said(cx.fabric, a, b);
        let (large_bytes, small_bytes) = (large.get(), small.get());
        out.report(
            small.span,
            format!("{there}: {small_bytes}"),
            format!("{name} has an MTU of {small_bytes} on {there} and of {large_bytes} on {here}"),
        )
        .related(large.span, format!("{here}: {large_bytes}"))
        .wire(match ends.ids.iter().all(|&id| cx.state.pseudowire(id).is_up) {
            true => format!(
                "{there} drops what is to go in with over {small_bytes} bytes: larger packets get through from {here} alone"
            ),
            false => format!(
                "{there} drops what is to go in with over {small_bytes} bytes, and {here} takes it in"
            ),
        })
        .remedy("write one `mtu` at both ends".to_owned())
        .about(a.device)
        .about(b.device)
        .about_name(&a.name.value);
    }
}
