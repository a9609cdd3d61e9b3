use super::segments_of;
use crate::behaviour::gateway::is_gateway;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "dhcp-relay-missing",
        severity: Severity::Error,
        summary: "the gateways of a segment do not pass DHCP on to its server",
        explain: "A host asks for its address by broadcast, which does not leave the segment. Where the server is in another, a relay on the gateway has to pass the question on.",
        sources: &["RFC 2131 section 2", "RFC 1542 section 4"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-4] 25G"

[[port]]
on = "kelp-a"
ports = "p1"
untagged = 310

[[port]]
on = "kelp-a"
ports = "p2"
untagged = 312

[[segment]]
name = "tides-web"
vlan = 310
subnet = "10.80.31.0/24"
gateway = "10.80.31.1"
on = "kelp-a"

[[host]]
name = "bench-[1-2]"
nics = "nic1 25G"
networks = { name = "web" }

[[accept]]
rule = "uplink-single-nic"
on = "bench-*"
reason = "benches have one NIC"

[cabling]
runs = "bench-[1-2] nic1 -- kelp-a p[1-2]"

[[segment]]
name = "tides-store"
vlan = 312
subnet = "10.80.33.0/24"
gateway = "10.80.33.1"
on = "kelp-a"

[[endpoint]]
name = "giver"
host = "bench-2"
address = "10.80.33.5/24"

[[dhcp]]
name = "web-hosts"
segment = "tides-web"
addresses = "10.80.31.100-10.80.31.199"
router = "10.80.31.1"
server = "giver"
"#,
        mend: &[("gateway = \"10.80.31.1\"", "gateway = \"10.80.31.1\"\nrelay = \"10.80.33.5\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, dhcp) in fabric.dhcps() {
        let Some(server) = dhcp.server else { continue };
        let segment = dhcp.segment.value;
        if segments_of(cx, server.value).contains(&segment) {
            continue;
        }
        let addresses: Vec<_> =
            fabric.endpoint(server.value).addresses.iter().map(|own| own.address()).collect();
        let passes = |presence| {
            fabric.settings_at(presence).relay.iter().any(|relay| addresses.contains(&relay.value))
        };
        let of = fabric.segment(segment);
        let gateways = of.presences.iter().filter(|&presence| is_gateway(fabric, presence));
        let lacking: Vec<_> = gateways.filter(|&presence| !passes(presence)).collect();
        let Some(&first) = lacking.first() else { continue };
        let settings = fabric.settings_at(first);
        let switch = fabric.presence(first).switch;
        let (name, server_name) = (&of.name.value, &fabric.endpoint(server.value).name.value);
        let place = settings.relay.first().map_or(of.name.span, |relay| relay.span);
        let more = match lacking.len() {
            1 => String::new(),
            count => format!(" and {} more", count - 1),
        };
        let device = fabric.device_name(switch);
        out.report(
            server.span,
            format!("{server_name} is in another segment"),
            format!(
                "{device}{more} does not pass DHCP of {name} on to {server_name}, which serves the DHCP range {}",
                dhcp.name.value
            ),
        )
        .related(place, format!("no `relay` to {server_name} on {device}"))
        .wire(format!("hosts of {name} ask for an address and get no answer"))
        .remedy(match addresses.first() {
            Some(address) => format!("write `relay = \"{address}\"` at the segment"),
            None => format!("give {server_name} an address, and write it as `relay` of the segment"),
        })
        .about(switch)
        .about_name(&dhcp.name.value)
        .about_name(name);
    }
}
