//! Faults between hosts and the switches that they hang on.

mod active_standby_on_lag;
mod bond_without_lag;
mod cluster_drift;
mod guest_tags_outside;
mod hash_clash;
mod lag_without_bond;
mod mtu_clash;
mod single_leaf;
mod single_nic;
mod speed_mix;
mod split_without_pair;
mod standby_nic_in_lag;
mod untagged_clash;
mod vlan_missing;
mod vlan_surplus;

use std::collections::BTreeMap;

use super::lag::{left_alone, links, name, plug};
use super::{Check, Context, Findings};
use crate::behaviour::{Aspect, Entity};
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, DeviceKind, Fabric, LagId, Network, PortId, Uplink};
use crate::value::{VlanId, VlanSet};

pub(super) static RULES: &[&Check] = &[
    &split_without_pair::RULE,
    &bond_without_lag::RULE,
    &active_standby_on_lag::RULE,
    &hash_clash::RULE,
    &standby_nic_in_lag::RULE,
    &lag_without_bond::RULE,
    &untagged_clash::RULE,
    &vlan_missing::RULE,
    &guest_tags_outside::RULE,
    &mtu_clash::RULE,
    &vlan_surplus::RULE,
    &cluster_drift::RULE,
    &speed_mix::RULE,
    &single_leaf::RULE,
    &single_nic::RULE,
];

/// Where the VLANs of a port on the switch are written: at its LAG, or at the port itself.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
enum Carrier {
    Lag(LagId),
    Port(PortId),
}

impl Carrier {
    fn device(self, fabric: &Fabric) -> DeviceId {
        match self {
            Self::Lag(lag) => fabric.lag(lag).device,
            Self::Port(port) => fabric.port(port).device,
        }
    }

    fn name(self, fabric: &Fabric) -> String {
        match self {
            Self::Lag(lag) => fabric.lag_label(lag),
            Self::Port(port) => fabric.port_label(port),
        }
    }

    fn is_grouped(self, fabric: &Fabric) -> bool {
        matches!(self, Self::Lag(lag) if fabric.lag(lag).group.is_some())
    }
}

/// What a carrier carries.
struct Carried<'a> {
    tagged: Option<&'a VlanSet>,
    untagged: Option<VlanId>,
    place: Span,
    untagged_at: Span,
}

/// The networks of each uplink, host by host.
fn networks_by_uplink(fabric: &Fabric) -> Vec<(Uplink, Vec<&Network>)> {
    let mut all: Vec<(Uplink, Vec<&Network>)> = Vec::new();
    // The networks of one host stand together.
    let mut start = 0;
    let mut host = None;
    for (_, network) in fabric.networks() {
        if host.replace(network.host) != Some(network.host) {
            start = all.len();
        }
        match all[start..].iter_mut().find(|(uplink, _)| *uplink == network.uplink) {
            Some((_, list)) => list.push(network),
            None => all.push((network.uplink, vec![network])),
        }
    }
    all
}

/// Whether the uplink leads elsewhere than meant, or is down: then its VLANs prove nothing.
fn misled(cx: &Context<'_>, uplink: Uplink) -> bool {
    let Uplink::Bond(bond) = uplink else { return false };
    cx.fabric.bond(bond).lag.is_some_and(|lag| cx.state.lag(lag).tangled)
}

/// What the switch ports of an uplink carry; nothing where it is misled.
fn carriers<'a>(cx: &Context<'a>, uplink: Uplink) -> BTreeMap<Carrier, Carried<'a>> {
    let fabric = cx.fabric;
    let mut carriers = BTreeMap::new();
    if misled(cx, uplink) {
        return carriers;
    }
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
                    untagged_at: lag.untagged.map_or(lag.tagged.span, |vlan| vlan.span),
                }
            });
        } else {
            let settings = fabric.settings_of(port);
            let plugged = || plug(fabric, port).unwrap_or(fabric.port(port).span.0);
            let untagged = settings.and_then(|settings| settings.untagged);
            let place = settings.map_or_else(plugged, |settings| settings.tagged.span);
            carriers.insert(
                Carrier::Port(port),
                Carried {
                    tagged: settings.map(|settings| &settings.tagged.value),
                    untagged: untagged.map(|vlan| vlan.value),
                    place,
                    untagged_at: untagged.map_or(place, |vlan| vlan.span),
                },
            );
        }
    }
    carriers
}

/// Reports the VLANs of some networks that the switch ports lack: one finding for each uplink, whatever
/// the number of its networks.
fn report_lacking(cx: &Context<'_>, out: &mut Findings<'_>, wanted: &dyn Fn(&Network) -> bool) {
    for (uplink, networks) in networks_by_uplink(cx.fabric) {
        let carriers = carriers(cx, uplink);
        let mut lost: BTreeMap<Carrier, (Vec<VlanId>, bool)> = BTreeMap::new();
        let mut first = None;
        for network in networks.into_iter().filter(|network| wanted(network)) {
            for (&carrier, carried) in &carriers {
                let (vlans, untagged) = lacking(cx, network, carrier, carried);
                if vlans.is_empty() && !untagged {
                    continue;
                }
                first.get_or_insert(network);
                let entry = lost.entry(carrier).or_default();
                entry.0.extend(vlans);
                entry.1 |= untagged;
            }
        }
        if let Some(network) = first {
            report_lost(cx, network, &carriers, &lost, out);
        }
    }
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
            // One that the port has untagged is told as that.
            let here = |vlan: VlanId| {
                carried.tagged.is_some_and(|tagged| tagged.contains(vlan))
                    || carried.untagged == Some(vlan)
            };
            let lost = tags.iter().filter(|&vlan| !here(vlan) && !claimed(Aspect::Vlan(vlan)));
            (lost.collect(), false)
        }
        None => (Vec::new(), carried.untagged.is_none() && !claimed(Aspect::Untagged)),
    }
}

fn report_lost(
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
    let names: Vec<_> = lost.keys().map(|carrier| carrier.name(cx.fabric)).collect();
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
        let name = carrier.name(cx.fabric);
        let carries = match carried.tagged.filter(|tagged| !tagged.is_empty()) {
            Some(tagged) => format!("{name} carries {tagged}"),
            None => format!("{name} carries no tagged VLAN"),
        };
        draft = draft.related(carried.place, carries).about(carrier.device(cx.fabric));
    }
}

/// Reports LAGs of switches that lead to a bond which is none: `how` it uses its NICs instead.
fn report_bond_on_lag(
    cx: &Context<'_>,
    out: &mut Findings<'_>,
    rule: &str,
    how: &str,
    wire: &str,
    remedy: &str,
) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(rule) {
        let Entity::Lag(lag) = cause.entity else { continue };
        let bare: Vec<_> = links(cx, lag)
            .into_iter()
            .filter(|&(_, _, far)| fabric.lag_of(far).is_none())
            .collect();
        let Some(&(span, port, far)) = bare.first() else { continue };
        let nics: Vec<_> = bare.iter().map(|&(_, _, far)| fabric.port_name(far)).collect();
        let (own, host) = (fabric.lag(lag), fabric.port(far).device);
        let Some(bond) = fabric.bond_with(far) else { continue };
        let host_name = fabric.device_name(host);
        out.report(
            span,
            format!("{} aggregates {}", fabric.device_name(own.device), fabric.port_name(port)),
            format!(
                "{} leads to {} of {host_name}, whose bond {} {how}",
                name(fabric, lag),
                nics.join(" and "),
                bond.name.value
            ),
        )
        .related(bond.protocol.span, format!("the bond is {}", bond.protocol.value))
        .wire(match left_alone(cx, lag) {
            alone if own.protocol.value == crate::value::Protocol::Lacp => {
                format!("{alone}; and {wire}")
            }
            _ => wire.to_owned(),
        })
        .remedy(remedy)
        .about(own.device)
        .about(host);
    }
}
