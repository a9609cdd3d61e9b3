use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-port-uncabled",
        severity: Severity::Warning,
        summary: "nothing is plugged into the port of a pseudowire, though something is at the far end",
        explain: "Who is at one end of a wire is there for somebody at the other. Where no cable is in the port there, \
              mostly the statement names another port than the one that the cable is in.",
        sources: &["RFC 4719 section 2"],
        broken: concat!(
            part!(apart),
            part!(wire),
            r#"
[[switch]]
name = "mud-[1-2]"
number = 51
role = "access"
ports = "p[1-2] 10G"

[cabling]
runs = ["inlet-a p8 -- crest-1 p1", "skerry-a p8 -- crest-1 p2", "mud-1 p1 -- inlet-a p1"]
"#
        ),
        mend: &[(
            "\"mud-1 p1 -- inlet-a p1\"",
            "\"mud-1 p1 -- inlet-a p1\", \"mud-2 p1 -- skerry-a p1\"",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, end) in fabric.pseudowires() {
        let Some(other) = end.twin else { continue };
        let twin = fabric.pseudowire(other);
        let Some((_, there)) = fabric.link(twin.port.value) else { continue };
        if fabric.link(end.port.value).is_some() {
            continue;
        }
        let label = fabric.port_label(end.port.value);
        let far = fabric.device_name(fabric.port(there).device);
        out.report(
            end.port.span,
            "no cable",
            format!("the pseudowire {} ends at {label}, which has no cable", end.name.value),
        )
        .related(twin.port.span, format!("{far} is plugged in here"))
        .wire(match cx.state.pseudowire(other).sends == Ok(id) {
            true => format!("what {far} sends comes out at {label}, to nobody"),
            false => format!("nobody is at {label}, whatever becomes of the wire"),
        })
        .remedy(format!("add the cable of {label}, or name the port that it is in"))
        .about(end.device)
        .about_name(&end.name.value);
    }
}
