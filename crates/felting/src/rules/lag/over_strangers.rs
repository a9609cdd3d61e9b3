use super::{count_word, halves, links, name};
use crate::behaviour::Entity;
use crate::diagnostic::some_of;
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
        // The halves of a group are one partner.
        let mut partners: Vec<LagId> = Vec::new();
        for far in links(cx, lag).iter().filter_map(|&(_, _, far)| fabric.lag_of(far)) {
            if !partners.iter().any(|&known| halves(fabric, known).contains(&far)) {
                partners.push(far);
            }
        }
        partners.sort_unstable();
        let names: Vec<_> = partners.iter().map(|&far| name(fabric, far)).collect();
        let shown: Vec<&str> = names.iter().map(String::as_str).collect();
        let own = fabric.lag(lag);
        let mut draft = out
            .report(
                own.name.span,
                "this LAG takes them for one partner",
                format!(
                    "{} leads to {} partners: {}",
                    name(fabric, lag),
                    count_word(partners.len()),
                    some_of(&shown)
                ),
            )
            .wire(super::split_wire(own.protocol.value))
            .remedy(remedy(cx, &partners))
            .about(own.device);
        for far in partners {
            let one = fabric.lag(far);
            let whom = match one.group {
                Some(group) => {
                    format!("the pair {}", fabric.pair(fabric.group(group).pair).name.value)
                }
                None => fabric.device_name(one.device).to_owned(),
            };
            draft = draft.related(one.name.span, format!("{whom} is a partner of its own"));
            for half in halves(fabric, far) {
                draft = draft.about(fabric.lag(half).device);
            }
        }
    }
}

fn remedy(cx: &Context<'_>, partners: &[LagId]) -> String {
    let fabric = cx.fabric;
    let grouped = partners.iter().find_map(|&far| fabric.lag(far).group);
    match (grouped, partners.len()) {
        (Some(group), _) => {
            let pair = &fabric.pair(fabric.group(group).pair).name.value;
            format!("lead all its members to the pair {pair}, or give those to others a LAG of their own")
        }
        (None, 2) => {
            "make the two switches a pair and give the two LAGs one group, or use two LAGs".to_owned()
        }
        (None, _) => "give each of the switches a LAG of its own, or join them in one stack: a pair has two sides"
            .to_owned(),
    }
}
