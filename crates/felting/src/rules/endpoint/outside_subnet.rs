use std::net::IpAddr;

use super::{Residents, segments_of, subnets};
use crate::fabric::{EndpointId, SegmentId, VrfId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "endpoint-outside-subnet",
        severity: Severity::Error,
        summary: "an endpoint\u{2019}s address is outside its segment\u{2019}s subnets",
        explain: "A router sends packets for a subnet into the segment that has it. An address of another subnet is looked for elsewhere, so nothing from outside the segment comes to the endpoint, and its gateway does not hear it.",
        sources: &["RFC 1122 section 3.3.1"],
        broken: bench!(
            r#"
[[endpoint]]
name = "web-1"
host = "bench-1"
address = "10.80.32.21/24"

"#
        ),
        mend: &[("10.80.32.21/24", "10.80.31.21/24")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let residents = Residents::of(cx);
    for (id, endpoint) in fabric.endpoints() {
        let own = segments_of(cx, id);
        for &segment in &own {
            for address in &endpoint.addresses {
                // Of two segments in one VLAN it is in one: that they share the VLAN is the fault.
                let fits = |&other: &SegmentId| {
                    let mut subnets = subnets(fabric, other, &address.subnet()).into_iter();
                    subnets.any(|subnet| subnet.contains(address.address()))
                };
                if own.len() > 1 && own.iter().any(fits) {
                    continue;
                }
                let subnets = subnets(fabric, segment, &address.subnet());
                let Some(first) = subnets.first() else { continue };
                if subnets.iter().any(|subnet| subnet.contains(address.address())) {
                    continue;
                }
                // A subnet that holds nobody is at fault itself, and who has another's address is told so.
                if residents.lack(segment, *first) || has_anothers(cx, id, address.address()) {
                    continue;
                }
                let (name, segment) = (&endpoint.name.value, &fabric.segment(segment).name.value);
                out.report(
                    address.span,
                    format!("not in {}", first.value),
                    format!(
                        "{name} in {segment} has {}, which is outside its subnet {}",
                        address.address(),
                        first.value
                    ),
                )
                .related(first.span, format!("subnet of {segment}"))
                .wire(format!(
                    "{name} does not reach its gateway, and nobody outside {segment} reaches it"
                ))
                .remedy(format!(
                    "give it an address of {}, or put it on the network of its subnet",
                    first.value
                ))
                .about(endpoint.host.value)
                .about_name(name)
                .about_name(segment);
            }
        }
    }
}

/// Whether another endpoint of the VRFs that an endpoint is in has its address.
fn has_anothers(cx: &Context<'_>, id: EndpointId, address: IpAddr) -> bool {
    let fabric = cx.fabric;
    let vrfs = |id: EndpointId| -> Vec<Option<VrfId>> {
        let segments = segments_of(cx, id).into_iter();
        segments.map(|segment| fabric.segment(segment).vrf.map(|vrf| vrf.value)).collect()
    };
    let own = vrfs(id);
    let mut others = fabric.endpoints_with(address).iter().filter(|&&other| other != id);
    others.any(|&other| vrfs(other).iter().any(|vrf| own.contains(vrf)))
}
