use super::place;
use crate::behaviour::Entity;
use crate::rules::lag::{half_name, split_wire};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "es-id-clash",
        severity: Severity::Error,
        summary: "the leaves of one host name different Ethernet segments",
        explain: "The leaves find each other by the identifier of the segment. With two identifiers each takes itself \
              for the only one: both forward what is flooded, and neither learns from the other.",
        sources: &["RFC 7432 section 5", "RFC 7432 section 8.4"],
        broken: r#"
[[switch]]
name = "dune-[a-b]"
ports = "p[1-4] 25G"

[[lag]]
on = "dune-*"
name = "hull-05"
ports = "p1"
tagged = 311
ethernet_segment = "02:46:00:00:00:0f/5"
differs = [{ on = "dune-b", ethernet_segment = "02:46:00:00:00:0f/6" }]

[[host]]
name = "hull-05"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = "hull-05 nic[1-2] -- dune-[a-b] p1"
"#,
        mend: &[("0f/6", "0f/5")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let (Entity::EthernetSegment(a), Some(Entity::EthernetSegment(b))) =
            (cause.entity, cause.other)
        else {
            continue;
        };
        let (a, b) = (fabric.ethernet_segment(a), fabric.ethernet_segment(b));
        let (Some(&one), Some(&other)) = (a.legs.first(), b.legs.first()) else { continue };
        let (x, y) = (fabric.lag(one), fabric.lag(other));
        let far = x.members.iter().find_map(|id| fabric.lag_of(cx.state.member(id).far?));
        let partner = far.map_or_else(|| "one partner".to_owned(), |far| half_name(fabric, far));
        out.report(
            place(fabric, other),
            format!("{}: {}", fabric.device_name(y.device), b.id),
            format!(
                "{partner} leads to two Ethernet segments: {} on {}, {} on {}",
                a.id,
                fabric.device_name(x.device),
                b.id,
                fabric.device_name(y.device)
            ),
        )
        .related(place(fabric, one), format!("{}: {}", fabric.device_name(x.device), a.id))
        .wire(split_wire(x.protocol.value))
        .remedy("write one identifier on all leaves of the host")
        .about(x.device)
        .about(y.device);
    }
}
