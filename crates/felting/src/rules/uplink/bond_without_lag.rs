use crate::behaviour::Entity;
use crate::rules::lag::{alone, left_alone, links, plug};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Protocol;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-bond-without-lag",
        severity: Severity::Error,
        summary: "a host bonds NICs whose switch ports are in no LAG",
        explain: "A bond that spreads frames needs a LAG at the other end. Plain switch ports learn \
              the host's address now here, now there, and what they flood reaches the host twice. \
              An LACP bond hears no answer and falls back to what it does then.",
        sources: &["IEEE 802.1AX-2020 clause 6.4.12 (Defaulted)"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]", protocol = "lacp" }

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[(
            "[cabling]",
            "[[lag]]\non = \"kelp-a\"\nname = \"hull-01\"\nports = \"p[1-2]\"\n\n[cabling]",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Lag(bond) = cause.entity else { continue };
        let own = fabric.lag(bond);
        let host = fabric.device_name(own.device);
        let bare: Vec<_> = links(cx, bond)
            .into_iter()
            .filter(|&(_, _, far)| fabric.lag_of(far).is_none())
            .collect();
        let Some(&(_, _, far)) = bare.first() else { continue };
        let ports: Vec<_> = bare.iter().map(|&(_, _, far)| fabric.port_label(far)).collect();
        let mut devices: Vec<_> = bare.iter().map(|&(_, _, far)| fabric.port(far).device).collect();
        devices.sort_unstable();
        devices.dedup();
        let are = if ports.len() == 1 { "is" } else { "are" };
        let mut draft = out
            .report(
                own.name.span,
                format!("{host} bonds its NICs"),
                format!(
                    "{host} bonds NICs as {}, but {} {are} in no LAG",
                    own.name.value,
                    ports.join(" and ")
                ),
            )
            .related(plug(fabric, far).unwrap_or(fabric.port(far).span.0), "this port is in no LAG")
            .wire(match alone(cx, bond).len() {
                0 | 1 if own.protocol.value != Protocol::Static => left_alone(cx, bond),
                _ => format!(
                    "{}; the switch takes the NICs for separate hosts with one address",
                    left_alone(cx, bond)
                ),
            })
            .remedy(format!(
                "aggregate {} into one LAG that is {} too{}",
                ports.join(" and "),
                own.protocol.value,
                if devices.len() > 1 { ", with one group on both switches" } else { "" }
            ))
            .about(own.device);
        for device in devices {
            draft = draft.about(device);
        }
    }
}
