use std::collections::{BTreeMap, BTreeSet};

use smol_str::SmolStr;

use crate::behaviour::carrier::enters;
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, DeviceKind, Network, SegmentId};
use crate::rules::{Check, Context, Findings, Rule, Severity, some_of};
use crate::value::VlanId;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-cluster-drift",
        severity: Severity::Warning,
        summary: "a guest cannot move to every host of its cluster",
        explain: "A guest that moves finds the network of the same name on the new host, and must be in \
              the same segment by it. A host without it, with another tag, or on a switch where \
              that VLAN is another segment, takes the guest and cuts it off.",
        sources: &["RFC 7432 section 15 (MAC mobility is inside one segment)"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[port]]
on = "kelp-a"
ports = "p[1-2]"
tagged = "310-311"

[[host]]
name = "hull-[01-02]"
nics = "nic1 25G"
cluster = "hulls"
networks = [{ name = "web", tag = 310 }, { name = "solver", tag = 311 }]
differs = [{ on = "hull-02", networks = [{ name = "solver", tag = 311 }] }]

[[endpoint]]
name = "web-1"
host = "hull-01"
network = "web"

[[accept]]
rule = "uplink-single-nic"
on = "hull-*"
reason = "an example"

[[accept]]
rule = "uplink-vlan-surplus"
on = "hull-02"
reason = "an example"

[cabling]
runs = "hull-[01-02] nic1 -- kelp-a p[1-2]"
"#,
        mend: &[
            (
                "\ndiffers = [{ on = \"hull-02\", networks = [{ name = \"solver\", tag = 311 }] }]",
                "",
            ),
            (
                "[[accept]]\nrule = \"uplink-vlan-surplus\"\non = \"hull-02\"\nreason = \"an example\"\n",
                "",
            ),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut clusters: BTreeMap<&SmolStr, Vec<DeviceId>> = BTreeMap::new();
    for (id, host) in fabric.devices().filter(|(_, device)| device.kind == DeviceKind::Host) {
        if let Some(cluster) = &host.cluster {
            clusters.entry(&cluster.value).or_default().push(id);
        }
    }
    if clusters.is_empty() {
        return;
    }
    let mut networks: BTreeMap<(DeviceId, &SmolStr), &Network> = BTreeMap::new();
    for (_, network) in fabric.networks() {
        networks.insert((network.host, &network.name.value), network);
    }
    // Each network that guests use, with the first of them.
    let mut used: BTreeMap<(&SmolStr, &SmolStr, Option<VlanId>), crate::fabric::EndpointId> =
        BTreeMap::new();
    for (id, endpoint) in fabric.endpoints() {
        if let Some(cluster) = &fabric.device(endpoint.host.value).cluster {
            let network = fabric.network(endpoint.network.value);
            let tag = endpoint.tag.map(|tag| tag.value);
            used.entry((&cluster.value, &network.name.value, tag)).or_insert(id);
        }
    }
    let mut said: BTreeSet<(DeviceId, &SmolStr)> = BTreeSet::new();
    for ((cluster, name, tag), guest) in used {
        let endpoint = fabric.endpoint(guest);
        let own = fabric.network(endpoint.network.value);
        let here = segments(cx, own, tag);
        // Hosts that lack it in the same way are told together.
        let mut drifted: Vec<(&str, Vec<DeviceId>, Span, String)> = Vec::new();
        for &host in clusters[cluster].iter().filter(|&&host| host != endpoint.host.value) {
            let there = networks.get(&(host, name)).copied();
            let host_name = fabric.device_name(host);
            let (place, label, why) = match there {
                None => {
                    let device = fabric.device(host);
                    let place = device.cluster.as_ref().map_or(device.name.span, |c| c.span);
                    (place, format!("{host_name} has no network {name}"), "no network of that name")
                }
                // A VLAN id is local to its switch; the segment is the same where its VNI is (RFC 8365 5.1).
                Some(other) if vlans(other) != vlans(own) && !led_on(cx, &here, other, tag) => {
                    let place = other.tags.as_ref().map_or(other.name.span, |tags| tags.span);
                    let tags = other.tags.as_ref();
                    let tags =
                        tags.map_or("no tag".to_owned(), |tags| format!("tag {}", tags.value));
                    (place, format!("{tags} on {host_name}"), "it with another tag")
                }
                Some(other) => {
                    let theirs = segments(cx, other, tag);
                    if here.is_empty() || theirs.is_empty() || !here.is_disjoint(&theirs) {
                        continue;
                    }
                    (other.name.span, "another segment here".to_owned(), "it in another segment")
                }
            };
            if !said.insert((host, name)) {
                continue;
            }
            match drifted.iter_mut().find(|(known, ..)| *known == why) {
                Some((_, hosts, ..)) => hosts.push(host),
                None => drifted.push((why, vec![host], place, label)),
            }
        }
        for (why, hosts, place, label) in drifted {
            let names: Vec<_> = hosts.iter().map(|&host| fabric.device_name(host)).collect();
            let (all, has) = (some_of(&names), if names.len() == 1 { "has" } else { "have" });
            let draft = out
                .report(
                    place,
                    label,
                    format!("{} cannot move to {all}, which {has} {why}", endpoint.name.value),
                )
                .related(
                    endpoint.network.span,
                    format!("{} is on the network {name}", endpoint.name.value),
                )
                .wire(format!("a guest of {name} that moves there reaches nobody"))
                .remedy(format!(
                    "give {all} the network {name} as the others of the cluster {cluster} have it, \
                     or take it out of the cluster"
                ));
            hosts.iter().fold(draft, |draft, &host| draft.about(host)).about(endpoint.host.value);
        }
    }
}

fn vlans(network: &Network) -> Option<&crate::value::VlanSet> {
    network.tags.as_ref().map(|tags| &tags.value)
}

/// Whether a network that has another tag leads a guest into one of these segments all the same.
fn led_on(
    cx: &Context<'_>,
    segments_here: &BTreeSet<SegmentId>,
    other: &Network,
    guest_tag: Option<VlanId>,
) -> bool {
    // What a guest tags itself, or which of several VLANs it is in, does not follow it.
    let is_one = other.tags.as_ref().is_none_or(|tags| tags.iter().nth(1).is_none());
    guest_tag.is_none() && is_one && !segments_here.is_disjoint(&segments(cx, other, None))
}

/// The segments that frames of a network come into at the switches where they enter.
fn segments(cx: &Context<'_>, network: &Network, tag: Option<VlanId>) -> BTreeSet<SegmentId> {
    let fabric = cx.fabric;
    let tag = tag.or_else(|| network.tags.as_ref()?.iter().next());
    let ports = fabric.uplink_ports(network.uplink).into_iter();
    let entries = ports.filter_map(|nic| cx.state.far(nic));
    let found = entries.filter_map(|far| {
        let vlan = enters(fabric, far, tag)?;
        let own = fabric.presences_on(fabric.port(far).device).iter();
        let mut own = own.map(|&presence| fabric.presence(presence));
        own.find(|presence| presence.vlan.is_some_and(|own| own.value == vlan)).map(|p| p.segment)
    });
    found.collect()
}
