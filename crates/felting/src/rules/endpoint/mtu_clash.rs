use std::collections::BTreeMap;

use rustc_hash::FxHashSet;

use super::segments_of;
use crate::diagnostic::{At, Span, some_of};
use crate::fabric::{DeviceId, Fabric, SegmentId, Uplink};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Mtu;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "endpoint-mtu-clash",
        severity: Severity::Warning,
        summary: "machines of one segment have different MTUs",
        explain: "The MTU is a property of the link: neighbours in one segment send to each other without a router \
              between that could fragment, or say that a packet is too big. What the one sends with more \
              than the other takes is dropped without a word, while small packets pass.",
        sources: &["RFC 894", "RFC 4861 section 6.3.4"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[port]]
on = "kelp-a"
ports = "p[1-2]"
untagged = 310
mtu = 9216

[[segment]]
name = "tides-store"
vlan = 310
subnet = "10.80.31.0/24"
on = "kelp-a"

[[host]]
name = "silo-[1-2]"
nics = "nic1 25G"
networks = { name = "store" }
mtu = 9000
differs = [{ on = "silo-2", mtu = 1500 }]

[[endpoint]]
name = "store-1"
host = "silo-1"
address = "10.80.31.23/24"

[[endpoint]]
name = "store-2"
host = "silo-2"
address = "10.80.31.24/24"

[[accept]]
rule = "uplink-single-nic"
on = "silo-*"
reason = "silos have one NIC here"

[cabling]
runs = "silo-[1-2] nic1 -- kelp-a p[1-2]"
"#,
        mend: &[("\ndiffers = [{ on = \"silo-2\", mtu = 1500 }]", "")],
    },
    check,
};

/// The machines that have each MTU, and where that is written.
type ByMtu = BTreeMap<u32, Vec<(DeviceId, At<Mtu>)>>;

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // Of each segment the MTUs that are written for machines in it.
    let mut of_segment: BTreeMap<SegmentId, ByMtu> = BTreeMap::new();
    for (id, endpoint) in fabric.endpoints() {
        let network = fabric.network(endpoint.network.value);
        let Some(mtu) = of_uplink(fabric, network.uplink) else { continue };
        for segment in segments_of(cx, id) {
            let known = of_segment.entry(segment).or_default().entry(mtu.get()).or_default();
            if known.last().is_none_or(|&(host, _)| host != network.host) {
                known.push((network.host, mtu));
            }
        }
    }
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (segment, by_mtu) in of_segment {
        let usual = by_mtu.iter().max_by_key(|(mtu, hosts)| (hosts.len(), **mtu));
        let Some((&usual, most)) = usual.filter(|_| by_mtu.len() > 1) else { continue };
        let segment = fabric.segment(segment);
        for (mtu, hosts) in by_mtu.iter().filter(|(mtu, _)| **mtu != usual) {
            let (_, written) = hosts[0];
            if !said.insert(written.span) {
                continue;
            }
            let names: Vec<&str> =
                hosts.iter().map(|&(host, _)| fabric.device_name(host)).collect();
            let (who, has) = (some_of(&names), if names.len() == 1 { "has" } else { "have" });
            let (other, theirs) = most[0];
            let other = fabric.device_name(other);
            let (large, small) = (usual.max(*mtu), usual.min(*mtu));
            let draft = out
                .report(
                    written.span,
                    format!("{mtu} bytes"),
                    format!(
                        "{who} {has} an MTU of {mtu} in {}, where {other} has {usual}",
                        segment.name.value
                    ),
                )
                .related(theirs.span, format!("{other} has {usual}"))
                .wire(format!(
                    "packets of more than {small} bytes that those with {large} send are dropped by those with {small}"
                ))
                .remedy(format!("set one MTU for all machines of {}", segment.name.value))
                .about_name(&segment.name.value);
            hosts.iter().fold(draft, |draft, &(host, _)| draft.about(host));
        }
    }
}

/// The MTU that is written for an uplink.
fn of_uplink(fabric: &Fabric, uplink: Uplink) -> Option<At<Mtu>> {
    fabric.uplink_ports(uplink).into_iter().find_map(|nic| fabric.written_mtu(nic))
}
