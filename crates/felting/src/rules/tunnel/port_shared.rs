use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-port-shared",
        severity: Severity::Error,
        summary: "one port is that of two pseudowires",
        explain: "A frame that comes in by a port goes into one wire. With two at one port the second gets nothing.",
        sources: &["RFC 4719 section 2"],
        broken: concat!(
            part!(far_apart),
            part!(wire),
            r#"
[[pseudowire]]
name = "lamp"
on = "inlet-a"
port = "p2"
to = "skerry-a"
session = { local = 19, remote = 43 }
"#,
            r#"
[[pseudowire]]
name = "lamp"
on = "skerry-a"
port = "p1"
to = "inlet-a"
session = { local = 43, remote = 19 }
"#
        ),
        mend: &[(
            "port = \"p1\"\nto = \"inlet-a\"\nsession = { local = 43",
            "port = \"p2\"\nto = \"inlet-a\"\nsession = { local = 43",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, end) in fabric.pseudowires() {
        let Some(first) = fabric.pseudowire_at(end.port.value).filter(|&first| first != id) else {
            continue;
        };
        let first = fabric.pseudowire(first);
        let label = fabric.port_label(end.port.value);
        out.report(
            end.port.span,
            format!("the port of {}", end.name.value),
            format!(
                "{label} is the port of the pseudowires {} and {}",
                first.name.value, end.name.value
            ),
        )
        .related(first.port.span, format!("the port of {}", first.name.value))
        .wire(format!(
            "what comes in by {label} goes into {}, and nothing into {}",
            first.name.value, end.name.value
        ))
        .remedy(format!("give {} a port of its own", end.name.value))
        .about(end.device)
        .about_name(&end.name.value);
    }
}
