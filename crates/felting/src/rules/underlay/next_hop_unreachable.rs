use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};

use crate::behaviour::evpn::holds_next_hop;
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, Fabric, StaticRoute, Via};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::IpPrefix;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-next-hop-unreachable",
        severity: Severity::Error,
        summary: "a static route by an address that the switch has no way to",
        explain: "A static route is in the table while its next hop can be resolved: by a subnet of the switch, or by \
              another route. One that can\u{2019}t be is not used, and what it was for goes nowhere, or by a \
              shorter prefix elsewhere.",
        sources: &["RFC 1812 section 5.2.4"],
        broken: r#"
[[switch]]
name = "crest-1"
ports = "p[1-4] 10G"

[[switch]]
name = "harbour-buoy"
role = "router"
ports = "p[1-2] 10G"

[[port]]
on = "crest-1"
ports = "p4"
address = "198.51.100.2/30"

[[port]]
on = "harbour-buoy"
ports = "p1"
address = "198.51.100.1/30"

[[route]]
on = "crest-1"
to = "0.0.0.0/0"
via = "198.51.100.9"

[cabling]
runs = "crest-1 p4 -- harbour-buoy p1"
"#,
        mend: &[("via = \"198.51.100.9\"", "via = \"198.51.100.1\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    let mut known: FxHashMap<DeviceId, Vec<(Span, IpPrefix)>> = FxHashMap::default();
    for route in fabric.static_routes() {
        let Via::Address(via) = route.via.value else { continue };
        if said.contains(&route.via.span) {
            continue;
        }
        if let Some(vrf) = route.vrf {
            if !holds_next_hop(fabric, vrf.value, route.device, via) {
                said.insert(route.via.span);
                of_tenant(cx, route, via, out);
            }
            continue;
        }
        let own = known.entry(route.device).or_insert_with(|| subnets(fabric, route.device));
        let near = holding(own, via);
        // Of a switch without any address nothing is known.
        let has_way = match fabric.device(route.device).router {
            Some(router) => cx.state.delivers(router, via).is_ok(),
            None => near.is_none(),
        };
        if has_way || near.is_some_and(|(_, holds)| holds) {
            continue;
        }
        said.insert(route.via.span);
        let name = fabric.device_name(route.device);
        let mut draft = out.report(
            route.via.span,
            format!("{via} is in no subnet of {name}"),
            format!("{name} has a route to {} by {via}, and no way to {via}", route.to.value),
        );
        draft = match near {
            Some((subnet, _)) => draft.related(subnet, "a subnet of it"),
            None => draft.related(
                fabric.device(route.device).name.span,
                "it has no subnet of that IP version",
            ),
        };
        draft
            .wire(format!("{name} does not use the route: what it is for is dropped, or goes by a shorter prefix"))
            .remedy(format!("write the address of a neighbour of {name} as `via`, or give {name} an address in the subnet of {via}"))
            .about(route.device);
    }
}

/// A route of a VRF by what is in no subnet of it.
fn of_tenant(cx: &Context<'_>, route: &StaticRoute, via: IpAddr, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let name = fabric.device_name(route.device);
    let Some(vrf) = route.vrf else { return };
    let vrf_name = &fabric.vrf(vrf.value).name.value;
    out.report(
        route.via.span,
        format!("{via} is in no subnet of {vrf_name}"),
        format!(
            "{name} has a route of {vrf_name} to {} by {via}, and {vrf_name} has no subnet that holds {via}",
            route.to.value
        ),
    )
    .related(vrf.span, format!("the route is of {vrf_name}"))
    .wire(format!(
        "{name} does not use the route and tells no other VTEP of it: what it is for is dropped, or goes by a shorter \
         prefix"
    ))
    .remedy(format!(
        "write an address as `via` that is in a segment or on a routed interface of {vrf_name}"
    ))
    .about(route.device)
    .about_name(vrf_name);
}

/// The subnet that holds an address, else any of its IP version; and whether it holds it.
fn holding(subnets: &[(Span, IpPrefix)], via: IpAddr) -> Option<(Span, bool)> {
    let holds = subnets.iter().find(|(_, prefix)| prefix.contains(via));
    let alike = || subnets.iter().find(|(_, prefix)| prefix.address().is_ipv4() == via.is_ipv4());
    match holds {
        Some(&(span, _)) => Some((span, true)),
        None => alike().map(|&(span, _)| (span, false)),
    }
}

/// The subnets of a switch in its own table, with their places.
fn subnets(fabric: &Fabric, device: DeviceId) -> Vec<(Span, IpPrefix)> {
    let interfaces = fabric.router_of(device).into_iter().flat_map(|one| one.interfaces.iter());
    let interfaces = interfaces.map(|id| fabric.interface(id));
    let of_interfaces = interfaces
        .filter(|one| one.vrf.is_none())
        .flat_map(|one| one.addresses.iter().map(|address| (address.span, address.subnet())));
    let presences = fabric.presences_on(device).iter();
    let own = presences.filter(|&&id| fabric.presence(id).vrf.is_none());
    let of_segments = own.flat_map(|&id| {
        let settings = fabric.settings_at(id);
        let subnets = settings.subnets.iter().map(|subnet| (subnet.span, subnet.value));
        subnets.chain(settings.addresses.iter().map(|address| (address.span, address.subnet())))
    });
    let ports = fabric.device(device).ports.iter().filter_map(|port| fabric.settings_of(port));
    let of_ports = ports.flat_map(|own| &own.addresses);
    let lags = fabric.device(device).ports.iter().filter_map(|port| fabric.lag_of(port));
    let of_lags = lags.flat_map(|lag| &fabric.lag(lag).addresses);
    let routed = of_ports.chain(of_lags).map(|address| (address.span, address.subnet()));
    of_interfaces.chain(of_segments).chain(routed).collect()
}
