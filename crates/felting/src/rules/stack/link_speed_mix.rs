use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-link-speed-mix",
        severity: Severity::Warning,
        summary: "stack links of different speed",
        explain: "Frames between members take the shortest way round the ring, whatever its speed, so the slowest \
              stack link limits what the stack carries between any two members across it.",
        sources: &["trade practice of stacks: no standard"],
        broken: r#"
[[hardware]]
name = "gull-24"
ports = "p[1-4] 1G"

[[switch]]
name = "jetty"
hardware = "gull-24"

[[stack]]
switch = "jetty"
stack_id = 3
split_detection = "link"
stack_ports = ["st1 40G", "st2 10G"]
members = [{ id = 1, priority = 300 }, { id = 2, priority = 200 }]

[cabling]
runs = ["jetty 1/st1 -- jetty 2/st1", "jetty 1/st2 -- jetty 2/st2"]
"#,
        mend: &[("st2 10G", "st2 40G")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, stack) in fabric.stacks() {
        let name = fabric.device_name(stack.switch.value);
        let ports = stack.members.iter().flat_map(|member| member.stack_ports.iter().copied());
        let mut linked = ports.filter(|&port| cx.state.far(port).is_some());
        let Some(first) = linked.next() else { continue };
        let speed = |port| fabric.port(port).speed;
        let Some(other) = linked.find(|&port| speed(port) != speed(first)) else { continue };
        let (quicker, slower) =
            if speed(first) > speed(other) { (first, other) } else { (other, first) };
        let text = |port| format!("{} is {}", fabric.port_name(port), speed(port));
        out.report(
            fabric.port(slower).span.0,
            text(slower),
            format!(
                "the links of the stack {name} differ in speed: {}, {}",
                text(quicker),
                text(slower)
            ),
        )
        .related(fabric.port(quicker).span.0, text(quicker))
        .wire(format!(
            "what crosses {} gets {} and not {}",
            fabric.port_name(slower),
            speed(slower),
            speed(quicker)
        ))
        .remedy("use stack ports of one speed all round the ring")
        .about(stack.switch.value);
    }
}
