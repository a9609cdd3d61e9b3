use super::report_lacking;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-vlan-missing",
        severity: Severity::Error,
        summary: "a VLAN of a host's virtual network is not on the switch ports",
        explain: "The host tags its frames with the network's VLAN, and the switch drops frames of a \
              VLAN that the port is not a member of. Guests of the network reach each other on \
              this host, and nobody else.",
        sources: &["IEEE 802.1Q clause 8.6.2 (ingress filtering)"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }
networks = [{ name = "web", tag = 310 }, { name = "solver", tag = 311 }]

[[lag]]
on = "kelp-a"
name = "hull-01"
ports = "p[1-2]"
tagged = 310

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[("tagged = 310", "tagged = \"310-311\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    report_lacking(cx, out, &|network| !network.is_trunk());
}
