use super::subnets;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::IpPrefix;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "dhcp-outside-subnet",
        severity: Severity::Error,
        summary: "a DHCP range gives out addresses outside its segment\u{2019}s subnet",
        explain: "A server gives out addresses of a DHCP range to hosts of its segment. One of another subnet is of no use there: its gateway is not in it, and nobody routes it to the segment.",
        sources: &["RFC 2131 section 4.3.1"],
        broken: bench!(
            r#"
[[dhcp]]
name = "web-hosts"
segment = "tides-web"
addresses = "10.80.31.200-10.80.32.20"
router = "10.80.31.1"
"#
        ),
        mend: &[("10.80.31.200-10.80.32.20", "10.80.31.200-10.80.31.220")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, dhcp) in fabric.dhcps() {
        let segment = dhcp.segment.value;
        for range in &dhcp.addresses {
            let subnets = subnets(fabric, segment, &IpPrefix::host(range.first()));
            let Some(first) = subnets.first() else { continue };
            let within =
                |subnet: &IpPrefix| subnet.contains(range.first()) && subnet.contains(range.last());
            if subnets.iter().any(|subnet| within(&subnet.value)) {
                continue;
            }
            let name = &fabric.segment(segment).name.value;
            out.report(
                range.span,
                format!("not all in {}", first.value),
                format!(
                    "the DHCP range {} gives out {}, of which some are outside {}",
                    dhcp.name.value, range.value, first.value
                ),
            )
            .related(first.span, format!("subnet of {name}"))
            .wire(format!("hosts of {name} that are given one of those reach nothing"))
            .remedy(format!("keep the range inside {}", first.value))
            .about_name(&dhcp.name.value)
            .about_name(name);
        }
    }
}
