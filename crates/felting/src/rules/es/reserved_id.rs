use super::place;
use crate::rules::lag::half_name;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::EthernetSegmentIdentifier;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "es-reserved-id",
        severity: Severity::Error,
        summary: "an Ethernet segment identifier that means something else",
        explain: "Ten octets of zero say that a site is single-homed, ten of 0xff that all segments are meant. \
              Neither names an Ethernet segment, so the leaves do not find each other by it.",
        sources: &["RFC 7432 section 5"],
        broken: r#"
[[switch]]
name = "dune-a"
ports = "p[1-4] 25G"

[[lag]]
on = "dune-a"
name = "hull-05"
ports = "p[1-2]"
tagged = 311
ethernet_segment = "00:00:00:00:00:00:00:00:00:00"

[[host]]
name = "hull-05"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = "hull-05 nic[1-2] -- dune-a p[1-2]"
"#,
        mend: &[("ethernet_segment = \"00:00:00:00:00:00:00:00:00:00\"\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, lag) in fabric.lags() {
        let Some(EthernetSegmentIdentifier::Written(esi)) =
            lag.ethernet_segment.map(|written| written.value)
        else {
            continue;
        };
        if !esi.is_reserved() {
            continue;
        }
        let means = if esi.kind() == 0 { "a single-homed site" } else { "every segment" };
        let name = half_name(fabric, id);
        out.report(
            place(fabric, id),
            format!("means {means}"),
            format!("{name} has the reserved Ethernet segment identifier {esi}, which means {means}"),
        )
        .related(lag.name.span, "this LAG")
        .wire("the leaves do not know that they serve one host: frames for it are flooded to all of them, and it gets them twice")
        .remedy("write an identifier of its own, such as that of type 3 from a MAC address and a number")
        .about(lag.device);
    }
}
