use crate::behaviour::Entity;
use crate::rules::lag::{half_name, links, plug, split_wire};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-split-without-pair",
        severity: Severity::Error,
        summary: "a host's bond ends on two switches that are not one LAG partner",
        explain: "A bond over two switches works only if these present one system identifier and one \
              key: as a pair with a group on both. Otherwise LACP keeps the NICs of one switch \
              only, and a static bond makes the host's address flap between the two.",
        sources: &["IEEE 802.1AX-2020 clause 6.3.6 (LAG ID)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-3] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[[lag]]
on = "kelp-*"
name = "hull-01"
ports = "p1"

[cabling]
runs = ["hull-01 nic[1-2] -- kelp-[a-b] p1", "kelp-a p[2-3] -- kelp-b p[2-3]"]
"#,
        mend: &[(
            "ports = \"p1\"\n",
            "ports = \"p1\"\ngroup = 101\n\n\
         [[lag]]\non = \"kelp-*\"\nname = \"peer\"\nports = \"p[2-3]\"\n\n\
         [[pair]]\nname = \"kelp\"\non = \"kelp-*\"\ndomain = 11\npeer_link = \"peer\"\n\
         keepalive = { between = [\"192.0.2.11\", \"192.0.2.12\"] }\n",
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
        let mut far_ports: Vec<_> = links(cx, bond).into_iter().map(|(_, _, far)| far).collect();
        far_ports.sort_unstable_by_key(|&far| fabric.port(far).device);
        far_ports.dedup_by_key(|far| fabric.port(*far).device);
        let switches: Vec<_> =
            far_ports.iter().map(|&far| fabric.device_name(fabric.port(far).device)).collect();
        let paired = match far_ports[..] {
            [a, b, ..] => fabric.pair_of(fabric.port(a).device, fabric.port(b).device).is_some(),
            _ => false,
        };
        let (why, remedy) = if paired {
            ("whose LAGs share no group", "give the two LAGs one group number")
        } else {
            (
                "which are no pair",
                "make the switches a pair and give the two LAGs one group, or use one switch",
            )
        };
        let mut draft = out
            .report(
                own.name.span,
                format!("{host} takes them for one partner"),
                format!(
                    "the bond {} of {host} ends on {}, {why}",
                    own.name.value,
                    switches.join(" and ")
                ),
            )
            .wire(split_wire(own.protocol.value))
            .remedy(remedy)
            .about(own.device);
        for far in far_ports {
            draft = match fabric.lag_of(far) {
                Some(lag) => draft.related(
                    fabric.lag(lag).name.span,
                    format!("{} is a partner of its own", half_name(fabric, lag)),
                ),
                None => draft.related(
                    plug(fabric, far).unwrap_or(fabric.port(far).span.0),
                    format!("{} is in no LAG", fabric.port_label(far)),
                ),
            };
            draft = draft.about(fabric.port(far).device);
        }
    }
}
