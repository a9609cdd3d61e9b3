use std::collections::BTreeMap;
use std::net::IpAddr;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::{presences, segments_of};
use crate::diagnostic::{At, Span};
use crate::fabric::{Dhcp, EndpointId, Fabric, SegmentId, VrfId};
use crate::rules::shown::and_more;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::IpInterface;

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
    let mut of_dhcp: BTreeMap<usize, Vec<(EndpointId, At<IpInterface>)>> = BTreeMap::new();
    for (id, endpoint) in fabric.endpoints() {
        for segment in segments_of(cx, id) {
            for &place in of_segment.get(&segment).into_iter().flatten() {
                let dhcp = dhcps[place];
                let given = endpoint.addresses.iter().find(|own| dhcp.gives(own.address()));
                of_dhcp.entry(place).or_default().extend(given.map(|&own| (id, own)));
            }
        }
    }
    for (place, endpoints) in of_dhcp {
        if !endpoints.is_empty() {
            given_away(fabric, dhcps[place], &endpoints, out);
        }
    }
}

/// Endpoints with addresses that one DHCP range may give to others: of several the range is at fault.
fn given_away(
    fabric: &Fabric,
    dhcp: &Dhcp,
    endpoints: &[(EndpointId, At<IpInterface>)],
    out: &mut Findings<'_>,
) {
    let (id, own) = endpoints[0];
    let (endpoint, address) = (fabric.endpoint(id), own.address());
    let range = dhcp.addresses.iter().find(|range| range.contains(address));
    let range = range.map_or(dhcp.name.span, |range| range.span);
    let (name, of) = (&endpoint.name.value, &dhcp.name.value);
    let given = (range, format!("the DHCP range {of} gives out these"));
    let has = (own.span, format!("{name} has it for itself"));
    let ((here, label), (there, beside)) =
        if endpoints.len() == 1 { (has, given) } else { (given, has) };
    let more = and_more(endpoints.len() - 1);
    let draft = out
        .report(
            here,
            label,
            format!("{name} has {address}, which the DHCP range {of} may give to others{more}"),
        )
        .severity(Severity::Warning)
        .related(there, beside)
        .wire(format!("a host that is given {address} takes packets of {name}"))
        .remedy(match endpoints.len() {
            1 => "add the address to `except` of the DHCP range, or give the endpoint another",
            _ => "add the addresses to `except` of the DHCP range, or give out others",
        })
        .about_name(of);
    endpoints.iter().fold(draft, |draft, &(id, _)| {
        let endpoint = fabric.endpoint(id);
        draft.about(endpoint.host.value).about_name(&endpoint.name.value)
    });
}
