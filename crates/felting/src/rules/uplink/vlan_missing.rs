use std::collections::BTreeMap;

use crate::behavior::{Aspect, Entity};
use crate::fabric::{DeviceKind, LagId, Network, PortId, Uplink};
use crate::rules::{Context, Findings, Rule, Severity};
use crate::source::Span;
use crate::value::{VlanId, VlanSet};

pub(super) static RULE: Rule = Rule {
    id: "uplink-vlan-missing",
    severity: Severity::Error,
    summary: "a VLAN of a host's virtual network is not on the switch ports",
    explain: "The host tags its frames with the network's VLAN, and the switch drops frames of a \
              VLAN that the port is not a member of. Guests of the network reach each other on \
              this host, and nobody else.",
    sources: &["IEEE 802.1Q clause 8.6.2 (ingress filtering)"],
    broken: r#"
[[switch]]
name = "kelp-a"
ports = "et[1-2] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }
networks = [{ name = "web", tag = 310 }, { name = "solver", tag = 311 }]

[[lag]]
on = "kelp-a"
name = "hull-01"
ports = "et[1-2]"
tagged = 310

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a et[1-2]"
"#,
    mend: &[("tagged = 310", "tagged = \"310-311\"")],
    check,
};

/// Where the VLANs of a port on the switch are written: at its LAG, or at the port itself.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Carrier {
    Lag(LagId),
    Port(PortId),
}

struct Carried<'a> {
    tagged: Option<&'a VlanSet>,
    untagged: Option<VlanId>,
    place: Span,
    name: String,
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let mut networks = cx.fabric.networks().map(|(_, network)| network).peekable();
    let mut of_host = Vec::new();
    while let Some(network) = networks.next() {
        of_host.push(network);
        if networks.peek().is_none_or(|next| next.host != network.host) {
            host(cx, &of_host, out);
            of_host.clear();
        }
    }
}

/// One finding for each uplink of a host, whatever the number of its networks.
fn host(cx: &Context<'_>, networks: &[&Network], out: &mut Findings<'_>) {
    let mut uplinks: Vec<Uplink> = Vec::new();
    for network in networks {
        if !uplinks.contains(&network.uplink) {
            uplinks.push(network.uplink);
        }
    }
    for uplink in uplinks {
        if misled(cx, uplink) {
            continue;
        }
        let carriers = carriers(cx, uplink);
        let mut lost: BTreeMap<Carrier, (Vec<VlanId>, bool)> = BTreeMap::new();
        let mut first = None;
        for network in networks.iter().filter(|network| network.uplink == uplink) {
            for (&carrier, carried) in &carriers {
                let (vlans, untagged) = lacking(cx, network, carrier, carried);
                if vlans.is_empty() && !untagged {
                    continue;
                }
                first.get_or_insert(*network);
                let entry = lost.entry(carrier).or_default();
                entry.0.extend(vlans);
                entry.1 |= untagged;
            }
        }
        if let Some(network) = first {
            report(cx, network, &carriers, &lost, out);
        }
    }
}

/// Whether the uplink leads elsewhere than meant, or is down: then its VLANs prove nothing.
fn misled(cx: &Context<'_>, uplink: Uplink) -> bool {
    let Uplink::Bond(bond) = uplink else { return false };
    cx.fabric.bond(bond).lag.is_some_and(|lag| cx.state.lag(lag).tangled)
}

fn carriers<'a>(cx: &Context<'a>, uplink: Uplink) -> BTreeMap<Carrier, Carried<'a>> {
    let fabric = cx.fabric;
    let mut carriers = BTreeMap::new();
    for nic in fabric.uplink_ports(uplink) {
        let Some(port) = cx.state.far(nic) else { continue };
        if fabric.device(fabric.port(port).device).kind == DeviceKind::Host {
            continue;
        }
        if let Some(id) = fabric.lag_of(port) {
            carriers.entry(Carrier::Lag(id)).or_insert_with(|| {
                let lag = fabric.lag(id);
                Carried {
                    tagged: Some(&lag.tagged.value),
                    untagged: lag.untagged.map(|vlan| vlan.value),
                    place: lag.tagged.span,
                    name: fabric.lag_label(id),
                }
            });
        } else {
            let settings = fabric.settings_of(port);
            let plugged =
                || crate::rules::lag::plug(fabric, port).unwrap_or(fabric.port(port).span);
            carriers.insert(
                Carrier::Port(port),
                Carried {
                    tagged: settings.map(|settings| &settings.tagged.value),
                    untagged: settings
                        .and_then(|settings| settings.untagged)
                        .map(|vlan| vlan.value),
                    place: settings.map_or_else(plugged, |settings| settings.tagged.span),
                    name: fabric.port_label(port),
                },
            );
        }
    }
    carriers
}

/// The tagged VLANs of a network that a carrier lacks, and whether it lacks an untagged one.
fn lacking(
    cx: &Context<'_>,
    network: &Network,
    carrier: Carrier,
    carried: &Carried<'_>,
) -> (Vec<VlanId>, bool) {
    let claimed = |aspect| match carrier {
        Carrier::Lag(lag) => cx.state.causes().claimed(Entity::Lag(lag), aspect).is_some(),
        Carrier::Port(_) => false,
    };
    match &network.tags {
        Some(tags) => {
            let here = |vlan: VlanId| carried.tagged.is_some_and(|tagged| tagged.contains(vlan));
            let lost = tags.iter().filter(|&vlan| !here(vlan) && !claimed(Aspect::Vlan(vlan)));
            (lost.collect(), false)
        }
        None => (Vec::new(), carried.untagged.is_none() && !claimed(Aspect::Untagged)),
    }
}

fn report(
    cx: &Context<'_>,
    network: &Network,
    carriers: &BTreeMap<Carrier, Carried<'_>>,
    lost: &BTreeMap<Carrier, (Vec<VlanId>, bool)>,
    out: &mut Findings<'_>,
) {
    let host = cx.fabric.device_name(network.host);
    let all: VlanSet = lost.values().flat_map(|(vlans, _)| vlans.iter().copied()).collect();
    let what = match (all.is_empty(), lost.values().any(|(_, untagged)| *untagged)) {
        (false, false) => format!("VLAN {all}"),
        (true, _) => "untagged frames".to_owned(),
        (false, true) => format!("VLAN {all} and untagged frames"),
    };
    let names: Vec<_> = lost.keys().map(|carrier| carriers[carrier].name.as_str()).collect();
    let tag = network.tags.as_ref();
    let label = match tag {
        Some(tags) => format!("{host} tags {} with {}", network.name.value, tags.value),
        None => format!("{host} sends {} untagged", network.name.value),
    };
    let dont = if names.len() == 1 { "does not carry" } else { "do not carry" };
    let mut draft = out
        .report(
            tag.map_or(network.name.span, |tags| tags.span),
            label,
            format!("{host} uses {what}, which {} {dont}", names.join(" and ")),
        )
        .wire(format!("{what} of {host} that arrive at {} are dropped", names.join(" and ")))
        .remedy(format!("carry {what} on {}, or take the network off {host}", names.join(" and ")))
        .about(network.host);
    for carrier in lost.keys() {
        let carried = &carriers[carrier];
        let carries = match carried.tagged.filter(|tagged| !tagged.is_empty()) {
            Some(tagged) => format!("{} carries {tagged}", carried.name),
            None => format!("{} carries no tagged VLAN", carried.name),
        };
        draft = draft.related(carried.place, carries).about(match carrier {
            Carrier::Lag(lag) => cx.fabric.lag(*lag).device,
            Carrier::Port(port) => cx.fabric.port(*port).device,
        });
    }
}
