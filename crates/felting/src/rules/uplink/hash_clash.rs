use super::report_bond_on_lag;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-hash-clash",
        severity: Severity::Error,
        summary: "a virtual switch keeps each guest on one NIC, while the switch takes the NICs for one LAG",
        explain: "A virtual switch that places guests or source addresses on single NICs needs no LAG, \
              and drops what comes in by another NIC than the guest\u{2019}s. The switch spreads \
              the frames for one guest over all members by its own hash.",
        sources: &["IEEE 802.1AX-2020 clause 6.2.4 (frame distribution)"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]", protocol = "by-guest" }

[[lag]]
on = "kelp-a"
name = "hull-01"
ports = "p[1-2]"

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[("protocol = \"by-guest\"", "protocol = \"lacp\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    report_bond_on_lag(
        cx,
        out,
        RULE.rule.id,
        "keeps each guest on one of its NICs",
        "what the switch\u{2019}s hash puts on another NIC than the guest\u{2019}s is dropped by the host",
        "take the LAG away, or bond the NICs by the protocol of the LAG",
    );
}
