use super::{carriers, networks_by_uplink};
use crate::fabric::{Fabric, Network, Uplink};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-untagged-clash",
        severity: Severity::Error,
        summary: "a host tags the VLAN that its switch has untagged there, or its uplinks differ in that VLAN",
        explain: "The switch sends frames of its untagged VLAN (PVID) without a tag, so a virtual \
              network that expects the tag does not take them. And where a host\u{2019}s untagged \
              network comes in at several ports, these must have one PVID, or the network is in \
              two broadcast domains.",
        sources: &["IEEE 802.1Q clause 6.9 (PVID and the untagged set)"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }
networks = { name = "web", tag = 310 }

[[lag]]
on = "kelp-a"
name = "hull-01"
ports = "p[1-2]"
untagged = 310

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[("untagged = 310", "tagged = 310")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (uplink, networks) in networks_by_uplink(fabric) {
        for network in &networks {
            match &network.tags {
                Some(_) => tagged(cx, uplink, network, out),
                None => untagged(cx, uplink, network, out),
            }
        }
    }
}

/// A network that tags what the switch has untagged.
fn tagged(cx: &Context<'_>, uplink: Uplink, network: &Network, out: &mut Findings<'_>) {
    let fabric: &Fabric = cx.fabric;
    let Some(tags) = &network.tags else { return };
    for (carrier, carried) in carriers(cx, uplink) {
        let Some(own) = carried.untagged.filter(|&own| tags.contains(own)) else { continue };
        if carried.tagged.is_some_and(|tagged| tagged.contains(own)) {
            continue;
        }
        let (host, name) = (fabric.device_name(network.host), carrier.name(fabric));
        out.report(
            tags.span,
            format!("{host} tags {} with {}", network.name.value, tags.value),
            format!("{host} tags VLAN {own}, which {name} has untagged"),
        )
        .related(carried.untagged_at, format!("{name} sends VLAN {own} without a tag"))
        .wire(format!(
            "what {host} sends gets in, and frames of VLAN {own} come to it without the tag that {} \
             expects",
            network.name.value
        ))
        .remedy(format!("carry VLAN {own} tagged on {name}, or take the tag off the network"))
        .about(network.host)
        .about(carrier.device(fabric));
        // The other half of a pair's LAG says the same.
        return;
    }
}

/// An untagged network whose switch ports have different VLANs for it.
fn untagged(cx: &Context<'_>, uplink: Uplink, network: &Network, out: &mut Findings<'_>) {
    let fabric: &Fabric = cx.fabric;
    let carriers = carriers(cx, uplink);
    let mut with = carriers
        .iter()
        .filter_map(|(carrier, carried)| Some((carrier, carried, carried.untagged?)));
    let Some((first, one, vlan)) = with.next() else { return };
    let Some((second, other, differs)) = with.find(|(_, _, own)| *own != vlan) else { return };
    // Halves of a group that differ are told as that.
    if first.is_grouped(fabric) && second.is_grouped(fabric) {
        return;
    }
    let host = fabric.device_name(network.host);
    out.report(
        other.untagged_at,
        format!("VLAN {differs} here"),
        format!(
            "the untagged network {} of {host} is VLAN {vlan} on {} and VLAN {differs} on {}",
            network.name.value,
            first.name(fabric),
            second.name(fabric)
        ),
    )
    .related(one.untagged_at, format!("VLAN {vlan} here"))
    .wire(format!(
        "{} is in one broadcast domain or the other, by the NIC that {host} uses",
        network.name.value
    ))
    .remedy("give both ports one untagged VLAN")
    .about(network.host)
    .about(first.device(fabric))
    .about(second.device(fabric));
}
