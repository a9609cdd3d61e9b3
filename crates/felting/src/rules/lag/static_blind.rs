use super::name;
use crate::behaviour::{Aspect, Entity};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Protocol;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-static-blind",
        severity: Severity::Warning,
        summary: "a LAG is static though both ends could speak LACP",
        explain: "A static LAG uses every member that has a link and asks nobody. A cable that is \
              plugged elsewhere, or a link whose far end is dead but lit, goes on swallowing its share \
              of the frames, and two swapped cables can close a loop that nothing detects. LACP finds \
              all of these.",
        sources: &["IEEE 802.1AX clause 6.4.1"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"
protocol = "static"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("protocol = \"static\"", "protocol = \"lacp\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for &(one, other) in cx.state.facing_wholes.iter() {
        let (a, b) = (fabric.lag(one), fabric.lag(other));
        let is_static = |lag: &crate::fabric::Lag| lag.protocol.value == Protocol::Static;
        let able = |lag: &crate::fabric::Lag| {
            fabric.hardware_of(lag.device).is_none_or(|kind| kind.lacp.value)
        };
        // A LAG that another fault keeps from being whole has that to be mended first.
        let faulty = [one, other].iter().any(|&lag| {
            let robbed = cx.state.causes().claimed(Entity::Lag(lag), Aspect::Membership);
            cx.state.lag(lag).cause.or(robbed).is_some()
        });
        if faulty || ![a, b].into_iter().all(|lag| is_static(lag) && able(lag)) {
            continue;
        }
        let (name_a, name_b) = (name(fabric, one), name(fabric, other));
        let mut draft = out.report(
            a.protocol.span,
            format!("{name_a} is static"),
            format!("{name_a} and {name_b} are static, though both ends could speak LACP"),
        );
        let place = if b.protocol.span == a.protocol.span { b.name.span } else { b.protocol.span };
        let place = if place == a.protocol.span || place == a.name.span {
            fabric.member(b.members.iter().next().expect("a LAG has a member")).port.span
        } else {
            place
        };
        draft = draft.related(place, format!("{name_b} is static"));
        draft
            .wire("a cable that ends elsewhere, or whose far end is dead, goes on swallowing its share of the frames")
            .remedy("set LACP at both ends, active")
            .about(a.device)
            .about(b.device);
    }
}
