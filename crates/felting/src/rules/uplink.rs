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

use std::collections::{BTreeMap, BTreeSet};

use super::lag::{left_alone, links, name, plug};
use super::shown::{and_more, by_line};
use super::{Check, Context, Findings};
use crate::behaviour::{Aspect, Entity, MemberState};
use crate::diagnostic::{Span, some_of};
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

    /// Like [`name`](Self::name), of a group as a whole.
    fn whole_name(self, fabric: &Fabric) -> String {
        match self {
            Self::Lag(lag) if fabric.lag(lag).group.is_some() => name(fabric, lag),
            _ => self.name(fabric),
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
        // What goes into a pseudowire goes as it is.
        let is_wire = fabric.pseudowire_at(port).is_some();
        if is_wire || fabric.device(fabric.port(port).device).kind == DeviceKind::Host {
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

/// What the switch ports of an uplink lack: the VLANs, and whether untagged frames.
type Lost = BTreeMap<Carrier, (Vec<VlanId>, bool)>;

/// A host that uses what its switch ports lack, by the first of its networks that does.
struct Lacking<'a> {
    network: &'a Network,
    carriers: BTreeMap<Carrier, Carried<'a>>,
    lost: Lost,
}

/// Where a network says with which tags it comes.
fn tags_at(network: &Network) -> Span {
    network.tags.as_ref().map_or(network.name.span, |tags| tags.span)
}

/// Reports the VLANs of some networks that the switch ports lack: one finding for each uplink, whatever
/// the number of its networks; and one for all hosts of a statement, where none of them gets what it says.
fn report_lacking(cx: &Context<'_>, out: &mut Findings<'_>, wanted: &dyn Fn(&Network) -> bool) {
    let mut found: Vec<Lacking<'_>> = Vec::new();
    let mut said: BTreeMap<Span, usize> = BTreeMap::new();
    for (uplink, networks) in networks_by_uplink(cx.fabric) {
        let carriers = carriers(cx, uplink);
        let mut lost = Lost::new();
        let mut first = None;
        for network in networks.into_iter().filter(|network| wanted(network)) {
            *said.entry(tags_at(network)).or_default() += 1;
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
        found.extend(first.map(|network| Lacking { network, carriers, lost }));
    }
    let mut of_statement: BTreeMap<(Span, String), Vec<Lacking<'_>>> = BTreeMap::new();
    for one in found {
        of_statement.entry((tags_at(one.network), lost_of(&one.lost))).or_default().push(one);
    }
    for ((place, _), hosts) in of_statement {
        if hosts.len() > 1 && hosts.len() == said[&place] {
            report_lost(cx, &hosts, out);
        } else {
            hosts.chunks(1).for_each(|one| report_lost(cx, one, out));
        }
    }
}

/// What is lost, in words.
fn lost_of(lost: &Lost) -> String {
    let all: VlanSet = lost.values().flat_map(|(vlans, _)| vlans.iter().copied()).collect();
    match (all.is_empty(), lost.values().any(|(_, untagged)| *untagged)) {
        (false, false) => format!("VLAN {all}"),
        (true, _) => "untagged frames".to_owned(),
        (false, true) => format!("VLAN {all} and untagged frames"),
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

/// Reports what hosts of one statement use and don't get.
fn report_lost(cx: &Context<'_>, hosts: &[Lacking<'_>], out: &mut Findings<'_>) {
    let Some(Lacking { network, lost, .. }) = hosts.first() else { return };
    let names: Vec<&str> =
        hosts.iter().map(|one| cx.fabric.device_name(one.network.host)).collect();
    let (host, who, what) = (names[0], some_of(&names), lost_of(lost));
    // A group of a pair is one to its host.
    let mut ports: Vec<String> = Vec::new();
    for carrier in hosts.iter().flat_map(|one| one.lost.keys()) {
        let name = carrier.whole_name(cx.fabric);
        if !ports.contains(&name) {
            ports.push(name);
        }
    }
    let dont = if ports.len() == 1 { "does not carry" } else { "do not carry" };
    let ports = match hosts.len() {
        1 => ports.join(" and "),
        _ => some_of(&ports.iter().map(String::as_str).collect::<Vec<_>>()),
    };
    let tag = network.tags.as_ref();
    let label = match tag {
        Some(tags) => format!("{host} tags {} with {}", network.name.value, tags.value),
        None => format!("{host} sends {} untagged", network.name.value),
    };
    let uses = if hosts.len() == 1 { "uses" } else { "use" };
    let frames = match what.starts_with("VLAN") {
        true => format!("frames of {what}"),
        false => what.clone(),
    };
    let mut draft = out
        .report(tags_at(network), label, format!("{who} {uses} {what}, which {ports} {dont}"))
        .wire(format!("{frames} from {who} are dropped at {ports}"))
        .remedy(format!("carry {what} on {ports}, or take the network off {who}"));
    let mut shown = BTreeSet::new();
    for one in hosts {
        draft = draft.about(one.network.host);
        for carrier in one.lost.keys() {
            let carried = &one.carriers[carrier];
            draft = draft.about(carrier.device(cx.fabric));
            if !shown.insert(carried.place) || shown.len() > MOST_PLACES {
                continue;
            }
            let name = carrier.name(cx.fabric);
            let carries = match carried.tagged.filter(|tagged| !tagged.is_empty()) {
                Some(tagged) => format!("{name} carries {tagged}"),
                None => format!("{name} carries no tagged VLAN"),
            };
            draft = draft.related(carried.place, carries);
        }
    }
}

/// How many places of one kind a finding shows.
const MOST_PLACES: usize = 8;

/// Whether all linked members of a LAG are closed, as nobody answers.
fn is_closed(cx: &Context<'_>, lag: LagId) -> bool {
    let members = cx.fabric.lag(lag).members.iter().map(|member| cx.state.member(member));
    let mut linked = members.filter(|member| member.far.is_some());
    linked.all(|member| member.state == MemberState::Closed)
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
    let mut clashes = Vec::new();
    for cause in cx.state.causes().of(rule) {
        let Entity::Lag(lag) = cause.entity else { continue };
        let mut bare = links(cx, lag);
        bare.retain(|&(_, _, far)| fabric.lag_of(far).is_none());
        let Some(&(span, _, far)) = bare.first() else { continue };
        let Some(bond) = fabric.bond_with(far) else { continue };
        clashes.push(((lag, bare), [span, bond.protocol.span]));
    }
    for (end, all) in by_line(clashes, 0) {
        let (lag, bare) = &all[0];
        let (lag, (span, port, far)) = (*lag, bare[0]);
        let nics: Vec<_> = bare.iter().map(|&(_, _, far)| fabric.port_name(far)).collect();
        let (own, host) = (fabric.lag(lag), fabric.port(far).device);
        let Some(bond) = fabric.bond_with(far) else { continue };
        let host_name = fabric.device_name(host);
        let mut places = [
            (
                span,
                format!("{} aggregates {}", fabric.device_name(own.device), fabric.port_name(port)),
            ),
            (bond.protocol.span, format!("the bond is {}", bond.protocol.value)),
        ];
        if end == 1 {
            places.reverse();
        }
        let [(here, label), (there, beside)] = places;
        let draft = out
            .report(
                here,
                label,
                format!(
                    "{} leads to {} of {host_name}, whose bond {} {how}{}",
                    name(fabric, lag),
                    nics.join(" and "),
                    bond.name.value,
                    and_more(all.len() - 1)
                ),
            )
            .related(there, beside)
            .wire(match left_alone(cx, lag) {
                // Nothing comes out at a wrong NIC where nothing comes out at all.
                alone if is_closed(cx, lag) => alone,
                alone if own.protocol.value == crate::value::Protocol::Lacp => {
                    format!("{alone}; and {wire}")
                }
                _ => wire.to_owned(),
            })
            .remedy(remedy)
            .about(own.device)
            .about(host);
        all.iter().fold(draft, |draft, (lag, bare)| {
            draft.about(fabric.lag(*lag).device).about(fabric.port(bare[0].2).device)
        });
    }
}
