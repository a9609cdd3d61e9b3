use std::collections::{BTreeMap, BTreeSet};

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use crate::behaviour::mtu;
use crate::diagnostic::{At, Span};
use crate::fabric::{DeviceId, InterfaceId};
use crate::rules::{Check, Context, Draft, Findings, Rule, Severity};
use crate::value::Mtu;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-mtu-too-small",
        severity: Severity::Error,
        summary: "an underlay link has no room for the outer headers",
        explain: "VXLAN adds 50 bytes to a frame over IPv4 and 70 over IPv6, of which 36 or 56 are \
              inside the underlay's MTU beside the inner Ethernet header of 14. VTEPs must not \
              fragment, so an underlay link has to take what the hosts send and the headers.",
        sources: &["RFC 7348 section 4.3", "RFC 7348 section 5"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]

[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[[segment]]
name = "tides-web"
vlan = 310
vni = 23310
on = "kelp-*"

[[router]]
on = ["crest-1", "kelp-*"]
as_number = 4204100000

[[session]]
on = "kelp-*"
to = "crest-1"

[[session]]
on = "crest-1"
to = "kelp-*"
client = true

[[port]]
on = "kelp-*"
ports = "p49"
mtu = 1500
"#
        ),
        mend: &[("mtu = 1500", "mtu = 9216")],
    },
    check,
};

/// A statement that leaves too little room, and where.
struct Small {
    interface: InterfaceId,
    mtu: At<Mtu>,
    devices: BTreeSet<DeviceId>,
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let Some(needed) = mtu::needed(fabric) else { return };
    let (bytes, hosts) = (needed.bytes(), needed.hosts);
    let overlay = fabric.overlay(needed.overlay);
    // What is written once is told once.
    let mut cases: BTreeMap<Span, Small> = BTreeMap::new();
    let mut of_other: FxHashMap<Span, Span> = FxHashMap::default();
    for (_, adjacency) in cx.state.underlay().adjacencies() {
        let ends = [adjacency.near, adjacency.far];
        let [a, b] = ends.map(|id| fabric.interface(id).mtu.map(|mtu| mtu.value));
        // Ends that differ are told as that.
        if a.is_some() && b.is_some() && a != b {
            continue;
        }
        let small = ends.into_iter().filter_map(|id| {
            let interface = fabric.interface(id);
            // What is written beyond what the hardware takes is told as that.
            let mtu = interface.mtu.or_else(|| fabric.hardware_mtu(interface.device));
            Some((id, mtu.filter(|mtu| mtu.get() < bytes)?))
        });
        let small: SmallVec<[(InterfaceId, At<Mtu>); 2]> = small.collect();
        // Both ends of one link are one fault.
        let Some(&(id, mtu)) = small.iter().min_by_key(|(_, mtu)| (mtu.value, mtu.span)) else {
            continue;
        };
        let known = small.iter().find_map(|(_, mtu)| of_other.get(&mtu.span).copied());
        let span = known.unwrap_or(mtu.span);
        for (_, mtu) in &small {
            of_other.entry(mtu.span).or_insert(span);
        }
        let case = Small { interface: id, mtu, devices: BTreeSet::new() };
        let devices = ends.map(|id| fabric.interface(id).device);
        cases.entry(span).or_insert(case).devices.extend(devices);
    }
    for Small { interface, mtu, devices } in cases.into_values() {
        let label = fabric.interface_label(interface);
        let draft = out
            .report(
                mtu.span,
                format!("{label} takes {} bytes", mtu.value),
                format!(
                    "{label} takes {} bytes, but {} needs {bytes} here",
                    mtu.value,
                    overlay.encapsulation.value.to_string().to_uppercase()
                ),
            )
            .related(
                needed.written.unwrap_or(overlay.span.0),
                format!("{hosts} bytes of the hosts, and {} of outer headers", needed.headers),
            )
            .wire(format!(
                "packets of hosts of more than {} bytes are dropped on this link, while small ones \
                 pass",
                mtu.get().saturating_sub(needed.headers)
            ))
            .remedy(match fabric.interface(interface).mtu == Some(mtu) {
                true => {
                    format!("set an MTU of at least {bytes} at both ends, 9216 where the devices can")
                }
                false => format!(
                    "mend `mtu` of the hardware if it takes more; what takes no {bytes} bytes can't carry these packets"
                ),
            });
        devices.into_iter().fold(draft, Draft::about);
    }
}
