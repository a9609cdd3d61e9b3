use rustc_hash::FxHashSet;

use super::place;
use crate::rules::lag::name;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "es-with-pair",
        severity: Severity::Error,
        summary: "a LAG is in a multi-chassis group and in an Ethernet segment",
        explain: "A group and an Ethernet segment do the same by different means: each presents its own LACP \
              system, decides by itself who forwards, and keeps its own books of what is reachable where. One \
              LAG cannot follow both.",
        sources: &["RFC 7432 section 5", "RFC 8365 section 8"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-4] 25G"

[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[3-4]"
tagged = 311

[[lag]]
on = "kelp-*"
name = "hull-05"
group = 105
ports = "p1"
tagged = 311
ethernet_segment = "02:46:00:00:00:0b/5"

[[host]]
name = "hull-05"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = ["hull-05 nic[1-2] -- kelp-[a-b] p1", "kelp-a p[3-4] -- kelp-b p[3-4]"]
"#,
        mend: &[("ethernet_segment = \"02:46:00:00:00:0b/5\"\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut told = FxHashSet::default();
    for (id, lag) in fabric.lags() {
        let (Some(group), Some(number), Some(_)) =
            (lag.group, lag.group_number, lag.ethernet_segment)
        else {
            continue;
        };
        if !told.insert(group) {
            continue;
        }
        out.report(
            place(fabric, id),
            "and of an Ethernet segment",
            format!("{} is a half of a group and a leg of an Ethernet segment", name(fabric, id)),
        )
        .related(number.span, "of a group")
        .wire("the two methods present different LACP systems and elect different forwarders: frames come twice, or not at all")
        .remedy("keep one of the two: the group, where the switches are a pair")
        .about(lag.device);
    }
}
