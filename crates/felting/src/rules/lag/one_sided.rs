use super::{left_alone, links, name, plug};
use crate::behaviour::{Entity, MemberState};
use crate::fabric::{LagId, PortId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-one-sided",
        severity: Severity::Error,
        summary: "a LAG whose far ports are in no LAG",
        explain: "Both ends of a LAG must aggregate. A switch that knows nothing of the LAG takes its \
              members for separate links: it learns one address now here, now there, and what it \
              floods comes back to the sender by the other member.",
        sources: &["IEEE 802.1AX-2020 clause 6.4.12 (Defaulted)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[[lag]]
on = "kelp-a"
name = "across"
ports = "p[1-2]"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("on = \"kelp-a\"", "on = \"kelp-*\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Lag(lag) = cause.entity else { continue };
        let bare: Vec<_> = links(cx, lag)
            .into_iter()
            .filter(|&(_, _, far)| fabric.lag_of(far).is_none())
            .collect();
        let Some(&(span, _, far)) = bare.first() else { continue };
        let ports: Vec<_> = bare.iter().map(|&(_, _, far)| fabric.port_label(far)).collect();
        let device = fabric.port(far).device;
        let are = if ports.len() == 1 { "is" } else { "are" };
        out.report(
            span,
            format!("{} aggregates here", fabric.device_name(fabric.lag(lag).device)),
            format!(
                "{} leads to {}, which {are} in no LAG",
                name(fabric, lag),
                ports.join(" and ")
            ),
        )
        .related(plug(fabric, far).unwrap_or(fabric.port(far).span.0), "in no LAG")
        .wire(match bare.len() {
            1 => left_alone(cx, lag),
            _ => format!(
                "{}; {} takes the members for separate links",
                left_alone(cx, lag),
                fabric.device_name(device)
            ),
        })
        .remedy(remedy(cx, lag, &bare.iter().map(|&(_, _, far)| far).collect::<Vec<_>>()))
        .about(fabric.lag(lag).device)
        .about(device);
    }
}

/// What to do about members that lead to ports in no LAG.
fn remedy(cx: &Context<'_>, lag: LagId, bare: &[PortId]) -> String {
    let fabric = cx.fabric;
    let ports: Vec<_> = bare.iter().map(|&far| fabric.port_name(far)).collect();
    let mut devices: Vec<_> = bare.iter().map(|&far| fabric.port(far).device).collect();
    devices.dedup();
    let [device] = devices[..] else {
        return format!(
            "lead all members of {} to one switch, or to the sides of a pair by a group",
            name(fabric, lag)
        );
    };
    // A partner that waits for a cable: it ends in the port beside.
    let partner = fabric.lag(lag).members.iter().find_map(|member| {
        let outcome = cx.state.member(member);
        outcome
            .far
            .filter(|_| outcome.state == MemberState::Selected)
            .and_then(|far| fabric.lag_of(far))
    });
    let waiting =
        partner.filter(|&partner| fabric.lag(partner).device == device).and_then(|partner| {
            let ports = fabric.lag(partner).members.iter().map(|id| fabric.member(id).port.value);
            let mut free = ports.filter(|&port| fabric.link(port).is_none());
            Some((free.next()?, partner))
        });
    match waiting {
        Some((port, partner)) => format!(
            "move the cable from {} to {} of {}, which waits for it in {}",
            ports.join(" and "),
            fabric.port_name(port),
            fabric.device_name(device),
            fabric.lag(partner).name.value
        ),
        None => format!(
            "add a LAG with {} on {}, or take the LAG away",
            ports.join(" and "),
            fabric.device_name(device)
        ),
    }
}
