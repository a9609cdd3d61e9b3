use rustc_hash::FxHashSet;

use crate::fabric::{DeviceKind, Fabric};
use crate::rules::{Context, Findings, Rule, Severity};
use crate::source::Span;

pub(super) static RULE: Rule = Rule {
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
ports = "et49"
mtu = 1500
"#
    ),
    mend: &[("mtu = 1500", "mtu = 9216")],
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let Some((_, overlay)) = fabric.overlays().find(|(_, overlay)| overlay.vtep.is_some()) else {
        return;
    };
    let six = overlay.vtep.is_some_and(|vtep| vtep.is_ipv6());
    let hosts = largest_of_hosts(fabric);
    let needed = hosts + if six { 70 } else { 50 };
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (_, adjacency) in cx.state.underlay().adjacencies() {
        let small = [adjacency.near, adjacency.far].into_iter().filter_map(|id| {
            let mtu = fabric.interface(id).mtu.filter(|mtu| mtu.get() < needed)?;
            Some((id, mtu))
        });
        let small: Vec<_> = small.collect();
        // Ends that differ are told as that.
        let [a, b] =
            [adjacency.near, adjacency.far].map(|id| fabric.interface(id).mtu.map(|mtu| mtu.value));
        if a.is_some() && b.is_some() && a != b {
            continue;
        }
        // Of two ends of one link the smaller is told; what is written once is told once.
        if let Some(&(id, mtu)) = small.iter().min_by_key(|(_, mtu)| mtu.value) {
            if small.iter().any(|(_, mtu)| !said.insert(mtu.span)) {
                continue;
            }
            let interface = fabric.interface(id);
            out.report(
                mtu.span,
                format!("{} takes {} bytes", fabric.interface_label(id), mtu.value),
                format!(
                    "{} takes {} bytes, but VXLAN needs {needed} here",
                    fabric.interface_label(id),
                    mtu.value
                ),
            )
            .related(overlay.span, format!("{hosts} bytes of the hosts and the outer headers"))
            .wire(format!(
                "packets of hosts of more than {} bytes are dropped on this link, while \
                 small ones pass",
                mtu.get().saturating_sub(needed - hosts)
            ))
            .remedy(format!(
                "set an MTU of at least {needed} at both ends, 9216 where the devices \
                 can"
            ))
            .about(interface.device);
        }
    }
}

/// The largest packet that hosts send: 1500, where no MTU of theirs is written.
fn largest_of_hosts(fabric: &Fabric) -> u32 {
    let host = |device| fabric.device(device).kind == DeviceKind::Host;
    let bonds = fabric.lags().filter(|(_, lag)| host(lag.device)).filter_map(|(_, lag)| lag.mtu);
    bonds.map(|mtu| mtu.get()).max().unwrap_or(1500).max(1500)
}
