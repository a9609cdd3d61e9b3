use super::presences;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "dhcp-covers-gateway",
        severity: Severity::Error,
        summary: "a DHCP range may give out the address of a router",
        explain: "The host that is given it answers for the gateway, and takes what all others send out.",
        sources: &["RFC 2131 section 3.1", "RFC 5227 section 1"],
        broken: bench!(
            r#"
[[dhcp]]
name = "web-hosts"
segment = "tides-web"
addresses = "10.80.31.1-10.80.31.99"
router = "10.80.31.1"
"#
        ),
        mend: &[(
            "router = \"10.80.31.1\"\n",
            "router = \"10.80.31.1\"\nexcept = \"10.80.31.1-10.80.31.9\"\n",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, dhcp) in fabric.dhcps() {
        let segment = dhcp.segment.value;
        let routers = presences(fabric, segment).flat_map(|presence| {
            let settings = fabric.settings_at(presence);
            let shared = settings.gateways.iter().map(|gateway| (gateway.value, gateway.span));
            let own = settings.addresses.iter().map(|own| (own.address(), own.span));
            shared.chain(own).collect::<Vec<_>>()
        });
        let mut given = routers.filter(|(address, _)| dhcp.gives(*address));
        let Some((address, place)) = given.next() else { continue };
        let range = dhcp.addresses.iter().find(|range| range.contains(address));
        let name = &fabric.segment(segment).name.value;
        out.report(
            range.map_or(dhcp.name.span, |range| range.span),
            format!("{address} is among these"),
            format!(
                "the DHCP range {} may give out {address}, a router of {name}",
                dhcp.name.value
            ),
        )
        .related(place, format!("router of {name}"))
        .wire(format!(
            "a host that is given {address} takes what others of {name} send to their gateway"
        ))
        .remedy(format!("add {address} to `except`, or begin the range after it"))
        .about_name(&dhcp.name.value)
        .about_name(name);
    }
}
