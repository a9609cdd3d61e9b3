use crate::behaviour::Entity;
use crate::rules::lag::{left_alone, links, name, plug};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-lag-without-bond",
        severity: Severity::Error,
        summary: "a switch has a LAG towards NICs that the host doesn't bond",
        explain: "A LAG takes all its members for one way to one station. A host that uses its NICs \
              one by one, or one at a time, doesn't expect frames at the other NIC: they are \
              dropped there. An LACP LAG hears no answer and falls back to what it does then.",
        sources: &["IEEE 802.1AX-2020 clause 6.4.12 (Defaulted)"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"

[[lag]]
on = "kelp-a"
name = "hull-01"
ports = "p[1-2]"

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[(
            "nics = \"nic[1-2] 25G\"\n",
            "nics = \"nic[1-2] 25G\"\nbond = { name = \"bond0\", nics = \"nic[1-2]\" }\n",
        )],
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
        let Some(&(span, port, far)) = bare.first() else { continue };
        let nics: Vec<_> = bare.iter().map(|&(_, _, far)| fabric.port_label(far)).collect();
        let (own, host) = (fabric.lag(lag), fabric.port(far).device);
        let bond = fabric
            .bonds()
            .find(|(_, bond)| bond.host == host && bond.nics.iter().any(|nic| nic.value == far));
        let (place, label) = match bond {
            Some((_, bond)) => (bond.name.span, "this bond does not aggregate".to_owned()),
            None => (plug(fabric, far).unwrap_or(fabric.port(far).span.0), "in no bond".to_owned()),
        };
        out.report(
            span,
            format!("{} aggregates {}", fabric.device_name(own.device), fabric.port_name(port)),
            format!(
                "{} leads to {}, which the host does not bond",
                name(fabric, lag),
                nics.join(" and ")
            ),
        )
        .related(place, label)
        .wire(format!("{}; the host expects its frames at one NIC", left_alone(cx, lag)))
        .remedy("bond the NICs by the same protocol, or take the LAG away")
        .about(own.device)
        .about(host);
    }
}
