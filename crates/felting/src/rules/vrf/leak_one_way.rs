use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-leak-one-way",
        severity: Severity::Warning,
        summary: "routes are leaked between two VRFs one way only",
        explain: "An answer needs a route too. With a leak from one VRF to another and none back, \
              packets go there and nothing returns, unless something translates addresses on the \
              way.",
        sources: &["RFC 4364 section 4.3.5"],
        broken: concat!(
            part!(fabric),
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"
"#,
            r#"
[[vrf]]
name = "harbour"
number = 3
vni = 27003
on = "kelp-*"
"#,
            r#"
[[leak]]
from = "harbour"
to = "tides"
"#
        ),
        mend: &[("to = \"tides\"\n", "to = \"tides\"\none_way = true\n")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, leak) in fabric.leaks().filter(|(_, leak)| !leak.one_way) {
        // What no switch has both VRFs for gives nothing either way, and is told as that.
        let (from, to) = (fabric.vrf(leak.from.value), fabric.vrf(leak.to.value));
        let is_made = from.switches.iter().any(|at| to.place_of(at.switch).is_some());
        if !is_made || fabric.leaks_into(leak.to.value, leak.from.value) {
            continue;
        }
        let (from, to) = (&fabric.vrf(leak.from.value).name, &fabric.vrf(leak.to.value).name);
        out.report(
            leak.from.span,
            format!("from {}", from.value),
            format!(
                "{} gets the routes of {}, but {} gets none back",
                to.value, from.value, from.value
            ),
        )
        .related(leak.to.span, format!("to {}", to.value))
        .wire(format!("packets from {} arrive in {}, and nothing comes back", to.value, from.value))
        .remedy(format!("add a leak from {} to {}, or say `one_way = true`", to.value, from.value))
        .about_name(&from.value)
        .about_name(&to.value);
    }
}
