use crate::behaviour::{Entity, agreement};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "es-vlan-clash",
        severity: Severity::Error,
        summary: "the leaves of an Ethernet segment carry different VLANs",
        explain: "The host spreads frames over all leaves by a hash that knows nothing of VLANs. A VLAN that one \
              leaf does not carry is lost on that leg.",
        sources: &["RFC 7432 section 6", "IEEE 802.1Q clause 8.6.2"],
        broken: r#"
[[switch]]
name = "dune-[a-b]"
ports = "p[1-4] 25G"

[[lag]]
on = "dune-*"
name = "hull-05"
ports = "p1"
tagged = "311-312"
ethernet_segment = "02:46:00:00:00:0f/5"
differs = [{ on = "dune-b", tagged = 311 }]

[[host]]
name = "hull-05"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = "hull-05 nic[1-2] -- dune-[a-b] p1"
"#,
        mend: &[("tagged = 311 }", "tagged = \"311-312\" }")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let (Entity::EthernetSegment(id), Some(Entity::Lag(other))) = (cause.entity, cause.other)
        else {
            continue;
        };
        let segment = fabric.ethernet_segment(id);
        let Some(&one) = segment.legs.first() else { continue };
        let (x, y) = (fabric.lag(one), fabric.lag(other));
        let says = |lag: &crate::fabric::Lag| {
            let tagged = match lag.tagged.is_empty() {
                true => "no tagged VLAN".to_owned(),
                false => lag.tagged.value.to_string(),
            };
            let untagged = lag
                .untagged
                .map_or_else(String::new, |vlan| format!(" and {} untagged", vlan.value));
            format!("{} carries {tagged}{untagged}", fabric.device_name(lag.device))
        };
        let lost = agreement::symmetric(&x.tagged, &y.tagged);
        let (at, from) = match lost.is_empty() {
            false => (y.tagged.span, x.tagged.span),
            true => (
                y.untagged.map_or(y.name.span, |vlan| vlan.span),
                x.untagged.map_or(x.name.span, |vlan| vlan.span),
            ),
        };
        let from = if from == at { x.name.span } else { from };
        out.report(
            at,
            says(y),
            format!(
                "the leaves of the Ethernet segment {} carry different VLANs: {}, {}",
                segment.id,
                says(x),
                says(y)
            ),
        )
        .related(from, says(x))
        .wire(match lost.is_empty() {
            false => {
                format!("frames of VLAN {lost} that the host hashes to the other leaf are dropped")
            }
            true => {
                "untagged frames are put into a VLAN or dropped, as the hash of the host has it"
                    .to_owned()
            }
        })
        .remedy("carry the same VLANs on all leaves of the segment")
        .about(x.device)
        .about(y.device);
    }
}
