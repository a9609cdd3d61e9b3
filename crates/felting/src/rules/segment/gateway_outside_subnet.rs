use std::net::IpAddr;

use rustc_hash::FxHashSet;

use crate::diagnostic::{At, Span};
use crate::fabric::{PresenceId, Segment, SegmentSettings};
use crate::rules::endpoint::Residents;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::IpPrefix;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-gateway-outside-subnet",
        severity: Severity::Error,
        summary: "the address of a gateway, or of a router, is outside its segment's subnet",
        explain: "A host sends to its gateway only if the gateway's address is in the host's own \
              subnet, and a router answers ARP only for subnets that it is in.",
        sources: &["RFC 1122 section 3.3.1", "RFC 9135 section 4"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
gateway_mac = "02:46:00:00:00:01"
"#,
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"

[[segment]]
name = "tides-web"
number = 310
vrf = "tides"
vlan = 310
vni = 23310
subnet = "10.80.31.0/24"
gateway = "10.80.32.1"
on = "kelp-*"
"#
        ),
        mend: &[("10.80.32.1", "10.80.31.1")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let residents = Residents::of(cx);
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (id, segment) in fabric.segments() {
        for presence in segment.presences.iter() {
            let settings = fabric.settings_at(presence);
            if settings.subnets.is_empty() {
                without_subnet(segment, settings, &mut said, out);
                continue;
            }
            let of_router =
                settings.addresses.iter().map(|own| (own.address(), own.span, Some(presence)));
            let all = settings.gateways.iter().map(|gateway| (gateway.value, gateway.span, None));
            for (address, span, router) in all.chain(of_router) {
                let holds = settings.subnets.iter().find(|subnet| subnet.contains(address));
                if let Some(subnet) = holds {
                    // Of IPv6 the first address is the routers' (RFC 4291 section 2.6.1).
                    if address.is_ipv4() && subnet.is_reserved(address) && said.insert(span) {
                        reserved(segment, address, span, *subnet, out);
                    }
                    continue;
                }
                // Where it is otherwise on other switches, that is told.
                let deviates = segment.presences.iter().any(|other| {
                    let theirs = fabric.settings_at(other);
                    let in_theirs = theirs.subnets.iter().any(|subnet| subnet.contains(address));
                    let mut own = theirs.gateways.iter().map(|gateway| gateway.value);
                    // A router's own address is its own, whatever the shared one is.
                    let alike = router.is_none()
                        && own.any(|one| {
                            one.is_ipv4() == address.is_ipv4()
                                && settings.subnets.iter().any(|subnet| subnet.contains(one))
                        });
                    in_theirs || alike
                });
                if deviates || !said.insert(span) {
                    continue;
                }
                let subnet = settings
                    .subnets
                    .iter()
                    .find(|s| s.address().is_ipv4() == address.is_ipv4())
                    .unwrap_or(&settings.subnets[0]);
                if let Some(router) = router {
                    of_router_alone(cx, router, (address, span), *subnet, out);
                    continue;
                }
                if residents.lack(id, *subnet) {
                    if said.insert(subnet.span) {
                        empty(segment, address, span, *subnet, out);
                    }
                    continue;
                }
                out.report(
                    span,
                    format!("not in {}", subnet.value),
                    format!(
                        "the gateway {address} of {} is outside its subnet {}",
                        segment.name.value, subnet.value
                    ),
                )
                .related(subnet.span, format!("subnet of {}", segment.name.value))
                .wire(format!(
                    "hosts of {} don\u{2019}t reach their gateway: nothing leaves the segment",
                    segment.name.value
                ))
                .remedy(format!("give the gateway an address of {}", subnet.value))
                .about_name(&segment.name.value);
            }
        }
    }
}

/// A switch's own address in a segment, outside its subnet.
fn of_router_alone(
    cx: &Context<'_>,
    presence: PresenceId,
    (address, span): (IpAddr, Span),
    subnet: At<IpPrefix>,
    out: &mut Findings<'_>,
) {
    let at = cx.fabric.presence(presence);
    let (name, segment) =
        (cx.fabric.device_name(at.switch), &cx.fabric.segment(at.segment).name.value);
    out.report(
        span,
        format!("not in {}", subnet.value),
        format!("{name} has {address} in {segment}, outside its subnet {}", subnet.value),
    )
    .related(subnet.span, format!("subnet of {segment}"))
    .wire(format!(
        "hosts of {segment} do not take {name} for a neighbour, nor does it take them for some"
    ))
    .remedy(format!("give {name} an address of {}", subnet.value))
    .about(at.switch)
    .about_name(segment);
}

/// A gateway in a segment that has no subnet at all.
fn without_subnet(
    segment: &Segment,
    settings: &SegmentSettings,
    said: &mut FxHashSet<Span>,
    out: &mut Findings<'_>,
) {
    let Some(gateway) = settings.gateways.first() else { return };
    let held = settings.addresses.iter().any(|own| own.subnet().contains(gateway.value));
    if held || !said.insert(gateway.span) {
        return;
    }
    let name = &segment.name;
    out.report(
        gateway.span,
        "in no subnet",
        format!("the gateway {} of {} is in no subnet: none is written", gateway.value, name.value),
    )
    .related(name.span, "no subnet here")
    .wire(format!(
        "no router knows where hosts of {} are: nothing comes into the segment",
        name.value
    ))
    .remedy(format!("give {} the `subnet` of its gateway", name.value))
    .about_name(&name.value);
}

/// A gateway at an address that no station may have.
fn reserved(
    segment: &Segment,
    address: IpAddr,
    span: Span,
    subnet: At<IpPrefix>,
    out: &mut Findings<'_>,
) {
    let is = match address == subnet.address() {
        true => "stands for the subnet itself",
        false => "is its broadcast",
    };
    out.report(
        span,
        format!("in {} it {is}", subnet.value),
        format!("the gateway {address} of {} {is} in {}", segment.name.value, subnet.value),
    )
    .related(subnet.span, format!("subnet of {}", segment.name.value))
    .wire(format!(
        "hosts of {} don\u{2019}t reach their gateway: nothing leaves the segment",
        segment.name.value
    ))
    .remedy(format!("give the gateway another address of {}", subnet.value))
    .about_name(&segment.name.value);
}

/// A subnet in which there is nobody: neither the gateway nor any endpoint.
fn empty(
    segment: &Segment,
    address: IpAddr,
    span: Span,
    subnet: At<IpPrefix>,
    out: &mut Findings<'_>,
) {
    let name = &segment.name.value;
    out.report(
        subnet.span,
        format!("not the subnet of {address}"),
        format!(
            "the subnet {} of {name} has neither its gateway {address} nor any of its endpoints in it",
            subnet.value
        ),
    )
    .related(span, format!("the gateway of {name}"))
    .wire(format!("hosts of {name} don\u{2019}t reach their gateway: nothing leaves the segment"))
    .remedy("write the subnet that the gateway and the endpoints are in")
    .about_name(name);
}
