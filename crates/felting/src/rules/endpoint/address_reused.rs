use std::net::IpAddr;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::{presences, segments_of};
use crate::diagnostic::Span;
use crate::fabric::{EndpointId, Fabric, SegmentId, VrfId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "endpoint-address-reused",
        severity: Severity::Error,
        summary: "an address belongs to two endpoints, or to an endpoint and the gateway",
        explain: "Whoever answers ARP first gets the packets, so connections of either break at random. An address that DHCP may give to somebody else is such a case in waiting.",
        sources: &["RFC 5227 section 1 (address conflicts)", "RFC 2131 section 3.1"],
        broken: bench!(
            r#"
[[endpoint]]
name = "web-1"
host = "bench-1"
address = "10.80.31.21/24"

[[endpoint]]
name = "web-2"
host = "bench-2"
address = "10.80.31.21/24"

"#
        ),
        mend: &[(
            "name = \"web-2\"\nhost = \"bench-2\"\naddress = \"10.80.31.21/24\"",
            "name = \"web-2\"\nhost = \"bench-2\"\naddress = \"10.80.31.22/24\"",
        )],
    },
    check,
};

/// Where an address counts once: a VRF, or a segment without one.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
enum Domain {
    Vrf(VrfId),
    Segment(SegmentId),
}

fn domains(fabric: &Fabric, segments: &[SegmentId]) -> SmallVec<[Domain; 1]> {
    let domain = |&segment: &SegmentId| {
        let vrf = fabric.segment(segment).vrf;
        vrf.map_or(Domain::Segment(segment), |vrf| Domain::Vrf(vrf.value))
    };
    segments.iter().map(domain).collect()
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut owners: FxHashMap<(Domain, IpAddr), (EndpointId, Span)> = FxHashMap::default();
    for (id, endpoint) in fabric.endpoints() {
        let segments = segments_of(cx, id);
        for address in &endpoint.addresses {
            let (at, name) = (address.address(), &endpoint.name.value);
            for domain in domains(fabric, &segments) {
                let (first, place) = *owners.entry((domain, at)).or_insert((id, address.span));
                if first == id {
                    continue;
                }
                let twin = &fabric.endpoint(first).name.value;
                out.report(
                    address.span,
                    format!("address of {name}"),
                    format!("{name} and {twin} have one address, {at}"),
                )
                .related(place, format!("address of {twin}"))
                .wire(format!("packets for {at} go to whichever of the two answered last"))
                .remedy("give each its own address")
                .about(endpoint.host.value)
                .about_name(name)
                .about_name(twin);
            }
            for &segment in &segments {
                gateway(cx, id, segment, at, address.span, out);
            }
        }
    }
    dhcps(cx, out);
}

/// An endpoint with the address of a router of its segment.
fn gateway(
    cx: &Context<'_>,
    id: EndpointId,
    segment: SegmentId,
    at: IpAddr,
    place: Span,
    out: &mut Findings<'_>,
) {
    let fabric = cx.fabric;
    let settings = presences(fabric, segment).map(|presence| fabric.settings_at(presence));
    let owner = settings.into_iter().find_map(|settings| {
        let gateways = settings.gateways.iter().map(|gateway| (gateway.value, gateway.span));
        let own = settings.addresses.iter().map(|own| (own.address(), own.span));
        gateways.chain(own).find(|(address, _)| *address == at)
    });
    let Some((_, span)) = owner else { return };
    let endpoint = fabric.endpoint(id);
    let (name, segment) = (&endpoint.name.value, &fabric.segment(segment).name.value);
    out.report(
        place,
        format!("address of {name}"),
        format!("{name} has the address of a router of {segment}, {at}"),
    )
    .related(span, format!("router of {segment}"))
    .wire(format!("hosts of {segment} send to {name} what is for their gateway"))
    .remedy("give the endpoint another address")
    .about(endpoint.host.value)
    .about_name(name)
    .about_name(segment);
}

/// Endpoints with an address that DHCP may give to others.
fn dhcps(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut of_segment: FxHashMap<SegmentId, Vec<usize>> = FxHashMap::default();
    let dhcps: Vec<_> = fabric.dhcps().map(|(_, dhcp)| dhcp).collect();
    for (place, dhcp) in dhcps.iter().enumerate() {
        of_segment.entry(dhcp.segment.value).or_default().push(place);
    }
    if of_segment.is_empty() {
        return;
    }
    for (id, endpoint) in fabric.endpoints() {
        for segment in segments_of(cx, id) {
            for dhcp in of_segment.get(&segment).into_iter().flatten().map(|&place| dhcps[place]) {
                let given = endpoint.addresses.iter().find(|own| dhcp.gives(own.address()));
                let Some(address) = given else { continue };
                let range = dhcp.addresses.iter().find(|range| range.contains(address.address()));
                let place = range.map_or(dhcp.name.span, |range| range.span);
                let name = &endpoint.name.value;
                out.report(
                    address.span,
                    format!("{name} has it for itself"),
                    format!(
                        "{name} has {}, which the DHCP range {} may give to others",
                        address.address(),
                        dhcp.name.value
                    ),
                )
                .severity(Severity::Warning)
                .related(place, format!("the DHCP range {} gives out these", dhcp.name.value))
                .wire(format!("a host that is given {} takes packets of {name}", address.address()))
                .remedy(
                    "add the address to `except` of the DHCP range, or give the endpoint another",
                )
                .about(endpoint.host.value)
                .about_name(name)
                .about_name(&dhcp.name.value);
            }
        }
    }
}
