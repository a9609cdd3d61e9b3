use std::collections::BTreeMap;

use crate::behaviour::gateway::lacks_own_address;
use crate::diagnostic::{Span, some_of};
use crate::fabric::DeviceId;
use crate::rules::check::Draft;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::GatewayKind;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-gateway-address-missing",
        severity: Severity::Error,
        summary: "a switch is to share a gateway\u{2019}s address, and has none of its own in the segment",
        explain: "Routers that share a gateway\u{2019}s address tell each other that they are there from an address of their \
              own in its subnet. One without sends nothing, and takes over from nobody.",
        sources: &["RFC 9568 section 5.1.1.1"],
        broken: r#"
[[switch]]
name = "crest-[1-2]"
ports = "p[1-4] 10G"

[[port]]
on = "crest-*"
ports = "p1"
tagged = 310

[[segment]]
name = "desks"
vlan = 310
subnet = "10.80.31.0/24"
gateway = "10.80.31.1"
gateway_kind = "vrrp"
on = "crest-*"
gateway_on = "crest-*"
differs = { on = "crest-1", address = "10.80.31.2/24" }

[cabling]
runs = "crest-1 p1 -- crest-2 p1"

[[tree]]
on = "crest-1"
priority = 4096
"#,
        mend: &[(
            "differs = { on = \"crest-1\", address = \"10.80.31.2/24\" }",
            "differs = [{ on = \"crest-1\", address = \"10.80.31.2/24\" }, { on = \"crest-2\", address = \"10.80.31.3/24\" }]",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, segment) in fabric.segments() {
        let mut lacking: BTreeMap<Span, Vec<DeviceId>> = BTreeMap::new();
        for &switch in &segment.gateway_on {
            let Some(presence) = fabric.presence_of(id, switch) else { continue };
            let settings = fabric.settings_at(presence);
            if settings.gateway_kind.value != GatewayKind::Vrrp || !lacks_own_address(settings) {
                continue;
            }
            let of_gateway = settings.gateways.first().map(|gateway| gateway.span);
            let place = segment.gateway_on_at.map(|place| place.0).or(of_gateway);
            lacking.entry(place.unwrap_or(segment.name.span)).or_default().push(switch);
        }
        for (place, switches) in lacking {
            let names: Vec<&str> = switches.iter().map(|&one| fabric.device_name(one)).collect();
            let (who, name) = (some_of(&names), &segment.name.value);
            let does = if names.len() == 1 { "does" } else { "do" };
            let has = if names.len() == 1 { "has" } else { "have" };
            let active = cx.state.active_routers(id);
            let active: Vec<&str> = active
                .iter()
                .map(|&presence| fabric.device_name(fabric.presence(presence).switch))
                .collect();
            let draft = out
                .report(
                    place,
                    format!("{who} {has} no address there"),
                    format!("{who} {does} not share the gateway of {name}: no IPv4 address of its own is written in it"),
                )
                .related(segment.name.span, format!("the segment {name}"))
                .wire(match active[..] {
                    [] => format!("no router has the gateway of {name}: nothing leaves the segment"),
                    _ => format!("{} has the gateway alone: nobody takes over when it is lost", some_of(&active)),
                })
                .remedy(format!("write an `address` of {name} for {who}, or take {who} out of `gateway_on`"))
                .about_name(name);
            switches.into_iter().fold(draft, Draft::about);
        }
    }
}
