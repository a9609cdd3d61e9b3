use super::report_bond_on_lag;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-active-standby-on-lag",
        severity: Severity::Error,
        summary: "an active-standby bond whose NICs the switch takes for one LAG",
        explain: "The host uses one NIC at a time and drops what comes in by the other. The switch \
              spreads frames over both, as over any LAG: about half of what it sends is lost. An \
              LACP LAG hears no answer and falls back to what it does then.",
        sources: &["IEEE 802.1AX-2020 clause 6.2.4 (frame distribution)"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]", protocol = "active-standby" }

[[lag]]
on = "kelp-a"
name = "hull-01"
ports = "p[1-2]"

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[("protocol = \"active-standby\"", "protocol = \"lacp\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    report_bond_on_lag(
        cx,
        out,
        RULE.rule.id,
        "uses one of its NICs at a time",
        "the host drops what the switch sends to the NIC that stands by: about half of all frames",
        "bond the NICs by the protocol of the LAG, or take the LAG away",
    );
}
