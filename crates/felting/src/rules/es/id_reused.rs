use super::place;
use crate::behaviour::Entity;
use crate::diagnostic::some_of;
use crate::fabric::LagId;
use crate::rules::lag::{count_word, half_name};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "es-id-reused",
        severity: Severity::Error,
        summary: "one Ethernet segment identifier for two hosts",
        explain: "All legs with one identifier lead to one host, as far as EVPN is concerned: what is learned behind \
              one of them is taken to be behind all. With two hosts behind it, frames go to the wrong one.",
        sources: &["RFC 7432 section 5", "RFC 7432 section 8.4"],
        broken: r#"
[[switch]]
name = "dune-[a-b]"
ports = "p[1-4] 25G"

[[lag]]
on = "dune-a"
name = "silo-1"
ports = "p[1-2]"
ethernet_segment = "02:46:00:00:00:0f/5"

[[lag]]
on = "dune-b"
name = "silo-2"
ports = "p[1-2]"
ethernet_segment = "02:46:00:00:00:0f/5"

[[host]]
name = "silo-[1-2]"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = ["silo-1 nic[1-2] -- dune-a p[1-2]", "silo-2 nic[1-2] -- dune-b p[1-2]"]
"#,
        mend: &[
            ("ethernet_segment = \"02:46:00:00:00:0f/5\"\n", ""),
            ("ethernet_segment = \"02:46:00:00:00:0f/5\"\n", ""),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::EthernetSegment(id) = cause.entity else { continue };
        let segment = fabric.ethernet_segment(id);
        // The legs of each partner.
        let mut partners: Vec<(String, Vec<LagId>)> = Vec::new();
        for &leg in &segment.legs {
            let far = fabric.lag(leg).members.iter().find_map(|id| cx.state.member(id).far);
            let far = far
                .and_then(|far| fabric.lag_of(far))
                .map_or_else(|| "nothing".to_owned(), |far| half_name(fabric, far));
            match partners.iter_mut().find(|(known, _)| *known == far) {
                Some((_, legs)) => legs.push(leg),
                None => partners.push((far, vec![leg])),
            }
        }
        let [(first, firsts), others @ ..] = &partners[..] else { continue };
        let Some((second, seconds)) = others.first() else { continue };
        let device = |leg: LagId| fabric.device_name(fabric.lag(leg).device);
        let on = |legs: &[LagId]| some_of(&legs.iter().map(|&leg| device(leg)).collect::<Vec<_>>());
        let all: Vec<String> =
            partners.iter().map(|(far, legs)| format!("{far} on {}", on(legs))).collect();
        let mut draft = out
            .report(
                place(fabric, seconds[0]),
                format!("{} leads to {second}", device(seconds[0])),
                format!(
                    "the Ethernet segment {} stands for {} partners: {}",
                    segment.id,
                    count_word(partners.len()),
                    all.join(", ")
                ),
            )
            .related(place(fabric, firsts[0]), format!("{} leads to {first}", device(firsts[0])))
            .wire(
                "frames for the one are sent to the other's leaf too, where they are dropped or \
                 misdelivered",
            )
            .remedy("give each host an identifier of its own");
        for &leg in &segment.legs {
            draft = draft.about(fabric.lag(leg).device);
        }
    }
}
