use super::{names, wires};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-ends-apart",
        severity: Severity::Error,
        summary: "an end of a pseudowire sends to somebody else than the other end",
        explain: "Each end names the other: its packets go to an address of the switch where the other end is. Where one names another \
              switch, or itself, its frames go there and are dropped, and the wire carries one way at most.",
        sources: &["RFC 3931 section 4.1"],
        broken: concat!(
            part!(far_apart),
            part!(wire_here),
            r#"
[[pseudowire]]
name = "tide-bus"
on = "skerry-a"
port = "p1"
to = "crest-1"
session = { local = 41, remote = 17 }
"#
        ),
        mend: &[("to = \"crest-1\"", "to = \"inlet-a\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for ends in wires(fabric) {
        for (from, to) in ends.ways().into_iter().filter(|(from, to)| !names(fabric, from, to)) {
            let (name, [here, there]) = ends.said(fabric, from, to);
            let Some(address) = from.to else { continue };
            let of = match from.far.value {
                Some(far) => fabric.device_name(far).to_owned(),
                None => address.to_string(),
            };
            out.report(
                from.far.span,
                format!("{here} sends to {of}"),
                format!("{name}: {here} sends to {of}, but the other end is on {there}"),
            )
            .related(to.name.span, format!("the end on {there}"))
            .wire(ends.consequence(cx))
            .remedy(format!("write `to = \"{there}\"` for {here}"))
            .about(from.device)
            .about(to.device)
            .about_name(&from.name.value);
        }
    }
}
