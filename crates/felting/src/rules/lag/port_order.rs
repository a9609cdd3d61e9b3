use super::{half_name, plug};
use crate::fabric::{DeviceKind, Lag, PortId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-port-order",
        severity: Severity::Hint,
        summary: "the members of a LAG are numbered otherwise at its two ends, though they could match",
        explain: "A LAG works however its cables are crossed. But whoever pulls a cable at one end at \
              night expects the same number at the other, and where a limit of members is used at \
              once, port numbers decide which ones.",
        sources: &["IEEE 802.1AX clause 6.7.1", "trade practice"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"

[cabling]
runs = "kelp-a p[1,2] -- kelp-b p[2,1]"
"#,
        mend: &[("p[2,1]", "p[1,2]")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for &(one, other) in cx.state.facing_wholes.iter() {
        let (a, b) = (fabric.lag(one), fabric.lag(other));
        let switch = |lag: &Lag| fabric.device(lag.device).kind == DeviceKind::Switch;
        // NICs are numbered for themselves.
        if !switch(a) || !switch(b) {
            continue;
        }
        let mut links: Vec<(PortId, PortId)> = a
            .members
            .iter()
            .map(|member| (fabric.member(member).port.value, cx.state.member(member).far))
            .filter_map(|(port, far)| Some((port, far?)))
            .filter(|&(_, far)| fabric.lag_of(far) == Some(other))
            .collect();
        links.sort_unstable();
        // The names could match only if both ends have the same ones.
        let names = |end: fn(&(PortId, PortId)) -> PortId| {
            let mut names: Vec<_> =
                links.iter().map(|link| fabric.port_name(end(link)).to_owned()).collect();
            names.sort_unstable();
            names
        };
        if names(|link| link.0) != names(|link| link.1) {
            continue;
        }
        let crossed =
            links.iter().find(|(near, far)| fabric.port_name(*near) != fabric.port_name(*far));
        let Some(&(near, far)) = crossed else { continue };
        let (Some(at), Some(from)) = (plug(fabric, far), plug(fabric, near)) else { continue };
        let (near_label, far_label) = (fabric.port_label(near), fabric.port_label(far));
        out.report(
            at,
            format!("leads to {far_label}"),
            format!(
                "the members of {} are crossed: {near_label} leads to {far_label}, though {} is a member too",
                half_name(fabric, one),
                fabric.port_name(near),
            ),
        )
        .related(from, near_label)
        .wire("the LAG works; at the far end another number than here is the one to pull")
        .remedy("plug the cables so that the numbers match")
        .about(a.device)
        .about(b.device);
    }
}
