use super::report_bond_on_lag;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-standby-nic-in-lag",
        severity: Severity::Error,
        summary: "one NIC of a bond that is no LAG leads into a LAG of the switch",
        explain: "The host uses this NIC by itself. The switch has its port in a LAG, whose other \
              members lead elsewhere or nowhere: an LACP LAG hears no answer on it, a static one \
              sends the host\u{2019}s frames over the others too.",
        sources: &["IEEE 802.1AX-2020 clause 6.3.6 (LAG ID)"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-3] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]", protocol = "active-standby" }

[[lag]]
on = "kelp-a"
name = "spare"
ports = "p2"
protocol = "lacp"

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[(
            "[[lag]]\non = \"kelp-a\"\nname = \"spare\"\nports = \"p2\"\nprotocol = \"lacp\"\n",
            "",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    report_bond_on_lag(
        cx,
        out,
        RULE.rule.id,
        "uses its NICs one by one",
        "when the host changes to this NIC, the switch does not take it for the host\u{2019}s way",
        "take the port out of the LAG",
    );
}
