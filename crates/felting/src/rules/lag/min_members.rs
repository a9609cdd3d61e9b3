use std::collections::BTreeMap;

use super::half_name;
use crate::behaviour::{Aspect, Entity};
use crate::diagnostic::Span;
use crate::fabric::LagId;
use crate::rules::{Check, Context, Findings, Rule, Severity, some_of};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-min-members",
        severity: Severity::Warning,
        summary: "the minimum of members is larger than the LAG, or differs at its ends",
        explain: "A LAG with fewer members in use than its minimum is down. A minimum beyond the number \
              of members keeps it down for ever. Where the minimum differs, the end with the larger \
              one goes down first; with LACP the other follows, a static far end goes on sending into \
              the dark.",
        sources: &["IEEE 802.1AX clause 6.3.1 (aggMinLinks)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"
min_members = 1
differs = [{ on = "kelp-b", min_members = 2 }]

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("min_members = 1", "min_members = 2")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let beyond = |id| {
        let lag = fabric.lag(id);
        let claimed = cx.state.causes().claimed(Entity::Lag(id), Aspect::MinMembers);
        usize::from(lag.min_members.value) > lag.members.len() && claimed.is_none()
    };
    // What is written once for several LAGs is told once.
    let mut of_statement: BTreeMap<(Span, usize), Vec<LagId>> = BTreeMap::new();
    for (id, lag) in fabric.lags().filter(|&(id, _)| beyond(id)) {
        of_statement.entry((lag.min_members.span, lag.members.len())).or_default().push(id);
    }
    for ((span, count), lags) in of_statement {
        let lag = fabric.lag(lags[0]);
        let minimum = lag.min_members.value;
        let names: Vec<_> = lags.iter().map(|&id| half_name(fabric, id)).collect();
        let who = some_of(&names.iter().map(String::as_str).collect::<Vec<_>>());
        let (ask, have) = if lags.len() == 1 { ("asks", "has") } else { ("ask", "have") };
        let ports = lag.members.get(0).map_or(lag.name.span, |m| fabric.member(m).port.span);
        let draft = out
            .report(
                span,
                format!("at least {minimum}"),
                format!("{who} {ask} for {minimum} members in use, but {have} {count}"),
            )
            .severity(Severity::Error)
            .related(ports, format!("members: {count}"))
            .wire("the LAG is down for ever, whatever its members do")
            .remedy(format!("ask for {count} at most, or add members"));
        lags.iter().fold(draft, |draft, &id| draft.about(fabric.lag(id).device));
    }
    for &(one, other) in cx.state.facing_wholes.iter() {
        let (a, b) = (fabric.lag(one), fabric.lag(other));
        let part = |lag: &crate::fabric::Lag| lag.group.is_some() || lag.segment.is_some();
        // Each half of a group counts its own members only, so the numbers say different things.
        if a.min_members.value == b.min_members.value
            || part(a)
            || part(b)
            || beyond(one)
            || beyond(other)
        {
            continue;
        }
        let (low, high) =
            if a.min_members.value < b.min_members.value { (one, other) } else { (other, one) };
        let (x, y) = (fabric.lag(low), fabric.lag(high));
        let (name_x, name_y) = (half_name(fabric, low), half_name(fabric, high));
        let (least, most) = (x.min_members.value, y.min_members.value);
        out.report(
            y.min_members.span,
            format!("{name_y} needs {most}"),
            format!("the ends of a LAG need different numbers of members: {name_x} {least}, {name_y} {most}"),
        )
        .related(x.min_members.span, format!("{name_x} is content with {least}"))
        .wire(format!("with fewer than {most} members {name_y} goes down while {name_x} would go on"))
        .remedy("ask for the same number at both ends")
        .about(x.device)
        .about(y.device);
    }
}
