use std::collections::BTreeMap;

use crate::behaviour::Entity;
use crate::diagnostic::Span;
use crate::fabric::PortId;
use crate::rules::lag::plug;
use crate::rules::shown::and_more;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "port-down-in-use",
        severity: Severity::Error,
        summary: "a port that is switched off has something on it",
        explain: "A port that is switched off has no link, so its LAG is a member short, or the host \
              behind it cut off, and the far end sees a cable that does nothing.",
        sources: &["RFC 2863 section 3.1.13 (ifAdminStatus)"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[port]]
on = "kelp-a"
ports = "p2"
enabled = false

[[lag]]
on = "kelp-a"
name = "hull-01"
ports = "p[1-2]"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[("enabled = false", "enabled = true")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // One line may switch many off.
    let mut of_line: BTreeMap<Span, Vec<(PortId, Option<PortId>)>> = BTreeMap::new();
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Port(port) = cause.entity else { continue };
        let Some(off) = fabric.settings_of(port).map(|settings| settings.enabled) else { continue };
        let far = match cause.other {
            Some(Entity::Port(far)) => Some(far),
            _ => None,
        };
        of_line.entry(off.span).or_default().push((port, far));
    }
    for (span, ports) in of_line {
        let (port, far) = ports[0];
        let label = fabric.port_label(port);
        let lag = fabric.port_member[port].map(|member| fabric.member(member));
        let mut what = Vec::new();
        what.extend(
            lag.map(|member| format!("is a member of {}", fabric.lag(member.lag).name.value)),
        );
        what.extend(far.map(|far| format!("leads to {}", fabric.port_label(far))));
        let more = and_more(ports.len() - 1);
        let mut draft = out.report(
            span,
            format!("{label} is switched off"),
            format!("{label} is switched off, but {}{more}", what.join(" and ")),
        );
        if let Some(member) = lag {
            draft = draft.related(member.port.span, "a member here");
        }
        if let Some((far, place)) = far.and_then(|far| Some((far, plug(fabric, far)?))) {
            draft = draft.related(place, format!("{} is at its end", fabric.port_label(far)));
        }
        let wire = match lag {
            Some(member) => format!(
                "there is no link: {} is a member short, and down if it has no other",
                fabric.lag(member.lag).name.value
            ),
            None => "there is no link: what is behind it is reached by another way, or not at all"
                .to_owned(),
        };
        draft = draft
            .wire(wire)
            .remedy(format!("switch {label} on, or take the cable and the settings away"));
        let all = ports.into_iter().flat_map(|(port, far)| [Some(port), far]).flatten();
        all.fold(draft, |draft, port| draft.about(fabric.port(port).device));
    }
}
