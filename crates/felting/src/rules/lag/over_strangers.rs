use super::{half_name, links, name};
use crate::behaviour::Entity;
use crate::fabric::LagId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-over-strangers",
        severity: Severity::Error,
        summary: "one LAG over two switches that are not one LAG partner",
        explain: "A LAG may end on two switches only if these present one system identifier and one \
              key: as a pair with a group on both. Two ordinary switches are two partners, whatever \
              the drawing says.",
        sources: &["IEEE 802.1AX-2020 clause 6.3.6 (LAG ID)"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 100G"

[[switch]]
name = "crest-[1-2]"
ports = "p[1-3] 100G"

[[lag]]
on = "kelp-a"
name = "up"
ports = "p[1-2]"

[[lag]]
on = "crest-*"
name = "down"
ports = "p1"

[cabling]
runs = ["kelp-a p[1-2] -- crest-[1-2] p1", "crest-1 p[2-3] -- crest-2 p[2-3]"]
"#,
        mend: &[(
            "ports = \"p1\"\n\n[cabling]",
            "ports = \"p1\"\ngroup = 7\n\n\
         [[lag]]\non = \"crest-*\"\nname = \"peer\"\nports = \"p[2-3]\"\n\n\
         [[pair]]\nname = \"crest\"\non = \"crest-*\"\ndomain = 3\npeer_link = \"peer\"\n\
         keepalive = { between = [\"192.0.2.1\", \"192.0.2.2\"] }\n\n[cabling]",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Lag(lag) = cause.entity else { continue };
        let mut far_lags: Vec<LagId> =
            links(cx, lag).iter().filter_map(|&(_, _, far)| fabric.lag_of(far)).collect();
        far_lags.sort_unstable();
        far_lags.dedup();
        let names: Vec<_> = far_lags.iter().map(|&far| half_name(fabric, far)).collect();
        let own = fabric.lag(lag);
        let mut draft = out
            .report(
                own.name.span,
                "this LAG takes them for one partner",
                format!("{} leads to two partners: {}", name(fabric, lag), names.join(" and ")),
            )
            .wire(super::split_wire(own.protocol.value))
            .remedy("make the two switches a pair and give the two LAGs one group, or use two LAGs")
            .about(own.device);
        for far in far_lags {
            let far = fabric.lag(far);
            let device = fabric.device_name(far.device);
            draft = draft
                .related(far.name.span, format!("{device} is a partner of its own"))
                .about(far.device);
        }
    }
}
