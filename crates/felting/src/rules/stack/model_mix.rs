use crate::diagnostic::Span;
use crate::fabric::{Fabric, StackMember};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-model-mix",
        severity: Severity::Warning,
        summary: "members of a stack differ in hardware or software",
        explain: "Members run one software and share one configuration. Where kinds or versions differ, the stack \
              falls back to what the weakest can do, or the odd member does not join at all.",
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
stack_ports = "st[1-2] 40G"
members = [{ id = 1, priority = 300, software = "7.1" }, { id = 2, priority = 200, software = "7.2" }]

[cabling]
runs = ["jetty 1/st[1-2] -- jetty 2/st[2,1]"]
"#,
        mend: &[("7.2", "7.1")],
    },
    check,
};

fn hardware(fabric: &Fabric, member: &StackMember) -> Option<(String, Span)> {
    let kind = member.hardware?;
    Some((fabric.hardware_kind(kind.value).name.value.to_string(), kind.span))
}

fn software(_: &Fabric, member: &StackMember) -> Option<(String, Span)> {
    let software = member.software.as_ref()?;
    Some((software.value.to_string(), software.span))
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, stack) in fabric.stacks() {
        let name = fabric.device_name(stack.switch.value);
        for (what, of) in [
            ("hardware", hardware as fn(&Fabric, &StackMember) -> Option<(String, Span)>),
            ("software", software),
        ] {
            let mut said = stack.members.iter().filter_map(|member| {
                let (text, place) = of(fabric, member)?;
                Some((member.id.value, text, place))
            });
            let Some((first, x, at)) = said.next() else { continue };
            let Some((other, y, place)) = said.find(|(_, text, _)| *text != x) else { continue };
            out.report(
                place,
                format!("member {other}: {y}"),
                format!(
                    "the members of the stack {name} differ in {what}: member {first} has {x}, member {other} has {y}"
                ),
            )
            .related(at, format!("member {first}: {x}"))
            .wire("the stack falls back to what both can do, or the odd member does not join")
            .remedy(format!("bring all members to one {what}"))
            .about(stack.switch.value);
        }
    }
}
