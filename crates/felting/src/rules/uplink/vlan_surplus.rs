use rustc_hash::{FxHashMap, FxHashSet};

use super::{Carried, Carrier, carriers, lacking, networks_by_uplink};
use crate::behaviour::carrier::has_vlan;
use crate::fabric::Network;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{VlanId, VlanSet};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-vlan-surplus",
        severity: Severity::Hint,
        summary: "the switch ports of a host carry a VLAN that no network of the host uses",
        explain: "Whoever gets into the host gets into that VLAN too, and the host has to look at all \
              that is flooded there. Mostly it is left over from a guest that has moved.",
        sources: &["IEEE 802.1Q clause 8.8 (a port is a member of the VLANs that it needs)"],
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
tagged = "310,399"

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[("tagged = \"310,399\"", "tagged = 310")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // A host with several uplinks may use a VLAN on any of them that lead to one LAG or port.
    let mut used: FxHashMap<Carrier, VlanSet> = FxHashMap::default();
    let mut first = Vec::new();
    let mut behind: FxHashMap<Carrier, Vec<&Network>> = FxHashMap::default();
    let uplinks = networks_by_uplink(fabric);
    for (uplink, networks) in &uplinks {
        let tags: VlanSet = networks
            .iter()
            .filter_map(|network| network.tags.as_ref())
            .flat_map(|t| t.iter())
            .collect();
        for (carrier, carried) in carriers(cx, *uplink) {
            behind.entry(carrier).or_default().extend(networks);
            let known = used.entry(carrier).or_insert_with(|| {
                first.push((carrier, networks[0], carried));
                VlanSet::default()
            });
            *known = known.union(&tags);
        }
    }
    let mut said = FxHashSet::default();
    for (carrier, network, carried) in first {
        let Some(tagged) = carried.tagged else { continue };
        let used = &used[&carrier];
        // A host that uses none of them is cabled wrong, or its networks are not written. What a VTEP does not
        // have as a segment is told as that.
        let surplus: VlanSet = tagged
            .without(used)
            .iter()
            .filter(|&vlan| has_vlan(fabric, carrier.device(fabric), vlan))
            .collect();
        let uses_some = tagged.iter().any(|vlan: VlanId| used.contains(vlan));
        if surplus.is_empty() || !uses_some || lacks(cx, carrier, &carried, &behind[&carrier]) {
            continue;
        }
        if !said.insert((network.host, carried.place)) {
            continue;
        }
        let (host, name) = (fabric.device_name(network.host), carrier.whole_name(fabric));
        out.report(
            carried.place,
            format!("{name} carries {tagged}"),
            format!("{name} carries VLAN {surplus}, which no network of {host} uses"),
        )
        .related(
            network.tags.as_ref().map_or(network.name.span, |tags| tags.span),
            format!("{host} uses {used}"),
        )
        .wire(format!("{host} gets all that is flooded in VLAN {surplus}, and could send into it"))
        .remedy(format!("take VLAN {surplus} off {name}, or give {host} a network for it"))
        .about(network.host)
        .about(carrier.device(fabric));
    }
}

/// Whether the port lacks something that a network behind it uses: what it has too much is then the other side of that.
fn lacks(cx: &Context<'_>, carrier: Carrier, carried: &Carried<'_>, networks: &[&Network]) -> bool {
    networks.iter().any(|network| {
        let (vlans, untagged) = lacking(cx, network, carrier, carried);
        !vlans.is_empty() || untagged
    })
}
