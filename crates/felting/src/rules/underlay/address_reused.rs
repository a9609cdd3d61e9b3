use std::net::IpAddr;

use rustc_hash::FxHashMap;

use crate::behaviour::AdjacencyFault;
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, Fabric};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-address-reused",
        severity: Severity::Error,
        summary: "two switches have one address",
        explain: "Both switches advertise the address, and packets for it go to whichever is nearer: \
              sessions with one of them end at the other, and answers come from a stranger. Only \
              the VTEP address that the sides of a pair share is meant to be twice, and that of a rendezvous \
              point, as a further loopback of each router that is one.",
        sources: &["RFC 5227 section 1", "RFC 4610 section 3"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]

[[router]]
on = "kelp-a"
loopback = "10.64.8.31"

[[router]]
on = "kelp-b"
loopback = "10.64.8.31"
"#
        ),
        mend: &[(
            "on = \"kelp-b\"\nloopback = \"10.64.8.31\"",
            "on = \"kelp-b\"\nloopback = \"10.64.8.32\"",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut first: FxHashMap<IpAddr, (DeviceId, Span, &'static str)> = FxHashMap::default();
    for (_, router) in fabric.routers() {
        let loopbacks = router.loopbacks.iter().map(|l| (l.address(), l.span, "loopback"));
        let links = router.interfaces.iter().flat_map(|id| {
            let interface = fabric.interface(id);
            let of_underlay = interface.vrf.is_none();
            interface
                .addresses
                .iter()
                .filter(move |_| of_underlay)
                .map(|a| (a.address(), a.span, "link address"))
        });
        let vtep =
            fabric.vtep_of(router.device).map(|vtep| (vtep.value, vtep.span, "VTEP address"));
        for (address, span, what) in loopbacks.chain(links).chain(vtep) {
            let &mut (owner, place, known) =
                first.entry(address).or_insert((router.device, span, what));
            let shared = fabric.pair_of(owner, router.device).is_some()
                && known == "VTEP address"
                && what == known;
            // One number for two switches is told as that.
            if owner == router.device || shared || fabric.same_number(owner, router.device) {
                continue;
            }
            let (name, other) = (fabric.device_name(router.device), fabric.device_name(owner));
            if is_anycast_rendezvous(fabric, address, [owner, router.device]) {
                continue;
            }
            // A link whose two ends have one address is told as that.
            let of_link = cx.state.underlay().adjacencies().any(|(_, adjacency)| {
                let ends = [adjacency.near, adjacency.far].map(|id| fabric.interface(id).device);
                adjacency.fault == Some(AdjacencyFault::SubnetClash)
                    && ends.contains(&owner)
                    && ends.contains(&router.device)
            });
            if of_link && what == "link address" {
                continue;
            }
            // What a stranger does with the shared address of a pair is told as that.
            let paired = |device: DeviceId| fabric.device(device).pair.is_some();
            if (what == "VTEP address" || known == "VTEP address")
                && (paired(owner) || paired(router.device))
            {
                continue;
            }
            out.report(
                span,
                format!("{what} of {name}"),
                format!("{name} and {other} both have {address}"),
            )
            .related(place, format!("{known} of {other}"))
            .wire(format!(
                "packets for {address} go to whichever of the two is nearer, and \
                 answers come from both"
            ))
            .remedy("give each switch an address of its own".to_owned())
            .about(router.device)
            .about(owner);
        }
    }
}

/// Whether an address is that of a rendezvous point that several routers are at once: a further loopback of each,
/// beside the address by which each is itself (RFC 4610 section 3).
fn is_anycast_rendezvous(fabric: &Fabric, address: IpAddr, of: [DeviceId; 2]) -> bool {
    let named = fabric
        .overlays()
        .any(|(_, overlay)| overlay.rendezvous.iter().any(|point| point.value == address));
    named
        && of.into_iter().all(|device| {
            fabric.router_of(device).is_some_and(|router| {
                let further = router.loopbacks.iter().skip(1).any(|own| own.address() == address);
                let is_id = router.router_id.is_some_and(|id| IpAddr::V4(id.value) == address);
                further && !is_id
            })
        })
}
