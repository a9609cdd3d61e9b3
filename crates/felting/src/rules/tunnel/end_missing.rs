use super::fate;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-end-missing",
        severity: Severity::Error,
        summary: "a pseudowire has one end only",
        explain: "A pseudowire is written at both ends. Where the switch that an end sends to has none that sends back, frames go there \
              and are dropped.",
        sources: &["RFC 3931 section 4.1"],
        broken: concat!(part!(far_apart), part!(wire_here)),
        mend: &[(
            "session = { local = 17, remote = 41 }",
            "session = { local = 17, remote = 41 }\n\n[[pseudowire]]\nname = \"tide-bus\"\non = \"skerry-a\"\nport = \"p1\"\nto = \"inlet-a\"\nsession = { local = 41, remote = 17 }",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, end) in fabric.pseudowires().filter(|(_, end)| end.twin.is_none()) {
        // Who has the address is in the file, or the far end is none of its switches.
        let owner =
            end.to.and_then(|to| fabric.routers().find(|&(id, _)| fabric.has_address(id, to)));
        let Some(there) = end.far.value.or(owner.map(|(_, router)| router.device)) else {
            continue;
        };
        let (here, there) = (fabric.device_name(end.device), there);
        let name = fabric.device_name(there);
        out.report(
            end.name.span,
            format!("the end on {here}"),
            format!("the pseudowire {} has an end on {here} and none on {name}", end.name.value),
        )
        .related(fabric.device(there).name.span, format!("{name} has no end of that name"))
        .wire(fate(cx, id))
        .remedy(format!(
            "write its end on {name}, with the name {} too, or take this one out",
            end.name.value
        ))
        .about(end.device)
        .about(there)
        .about_name(&end.name.value);
    }
}
