use super::report_lacking;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-guest-tags-outside",
        severity: Severity::Error,
        summary: "guests may tag VLANs that the uplink does not carry",
        explain: "A network of several tags passes the guests\u{2019} own tags through. The switch \
              drops frames of a VLAN that its port is not a member of, so a guest that uses such \
              a tag reaches the guests of this host, and nobody else.",
        sources: &["IEEE 802.1Q clause 8.6.2 (ingress filtering)"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }
networks = [{ name = "probes", tags = "312-314" }]

[[lag]]
on = "kelp-a"
name = "hull-01"
ports = "p[1-2]"
tagged = "312-313"

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[("tagged = \"312-313\"", "tagged = \"312-314\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    report_lacking(cx, out, &|network| network.is_trunk());
}
