use super::half_name;
use crate::behaviour::Entity;
use crate::rules::{Check, Context, Findings, Rule, Severity, some_of};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-too-many-members",
        severity: Severity::Error,
        summary: "a LAG has more members than the device takes",
        explain: "A device takes so many ports into one LAG and no more; the rest are refused when \
              they are configured, or do nothing. (More members than are used at once is another \
              matter: those stand by.)",
        sources: &["IEEE 802.1AX clause 6.3.5 (a system may limit what it aggregates)"],
        broken: r#"
[[hardware]]
name = "tern-4"
members_bundled = 2

[[switch]]
name = "kelp-[a-b]"
hardware = "tern-4"
ports = "p[1-3] 25G"

[[lag]]
on = "kelp-a"
name = "across"
ports = "p[1-3]"

[[lag]]
on = "kelp-b"
name = "across"
ports = "p[1-2]"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("ports = \"p[1-3]\"", "ports = \"p[1-2]\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Lag(id) = cause.entity else { continue };
        let lag = fabric.lag(id);
        let Some(kind) = fabric.hardware_of(lag.device) else { continue };
        let Some(limit) = kind.members_bundled else { continue };
        let beyond: Vec<_> = lag
            .members
            .iter()
            .skip(usize::from(limit.value))
            .map(|member| fabric.member(member).port)
            .collect();
        let names: Vec<_> = beyond.iter().map(|port| fabric.port_name(port.value)).collect();
        let (name, count) = (half_name(fabric, id), lag.members.len());
        let Some(first) = beyond.first() else { continue };
        out.report(
            first.span,
            format!("{count} members"),
            format!("{name} has {count} members, but a {} takes {}", kind.name.value, limit.value),
        )
        .related(limit.span, format!("{} at most", limit.value))
        .wire(match names[..] {
            [one] => format!("{one} stays out of the LAG"),
            _ => format!("{} stay out of the LAG", some_of(&names)),
        })
        .remedy(format!("use {} members, or faster ones", limit.value))
        .about(lag.device);
    }
}
