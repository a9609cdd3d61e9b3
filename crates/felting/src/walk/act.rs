//! What devices do with packets, in words.

use std::net::IpAddr;

use super::path::{Act, Bridging, Hop, Known, Resolved, Table};
use crate::behaviour::{FloodList, RouteSource, Shim, State, TenantRoute, TenantSource};
use crate::fabric::{BondId, DeviceId, Fabric, NetworkId, PresenceId};
use crate::value::{IpPrefix, UnderlayProtocol, VlanId, Vni};

impl Act {
    /// What a device does with a packet, in words; `hop` is where it does.
    pub fn words(&self, state: &State, hop: &Hop) -> String {
        let (fabric, at) = (state.fabric(), hop.device);
        match self {
            Self::Sends { gateway: Some(gateway) } => {
                format!("the destination is in another subnet: sends to the gateway {gateway}")
            }
            Self::Sends { gateway: None } => "the destination is in the own subnet".to_owned(),
            Self::Takes { network, tag, by_guest } => takes(fabric, *network, *tag, *by_guest),
            Self::Inside => "both are on this host: it stays inside the virtual switch".to_owned(),
            Self::Uplink { bond } => uplink(fabric, *bond),
            Self::LeadsOut(outside) => {
                format!("leads out of the fabric, to {}", fabric.outside(*outside).name.value)
            }
            Self::Delivers(endpoint) => {
                format!("hands it to {}", fabric.endpoint(*endpoint).name.value)
            }
            Self::Enters { vlan, presence: Some(presence) } => {
                format!("VLAN {vlan} is the segment {}", segment_of(fabric, *presence))
            }
            Self::Enters { vlan, presence: None } => format!("VLAN {vlan}"),
            Self::Bridges { side } => bridges(fabric, *side),
            Self::Floods { list, unknown, .. } => floods(list, *unknown),
            Self::Suppresses { endpoint, told } => format!(
                "answers itself: EVPN told it where {} is (from {})",
                fabric.endpoint(*endpoint).name.value,
                switch_of(fabric, *told)
            ),
            Self::Answers => "answers: the address is its own".to_owned(),
            Self::Routes { table, route } => routes(state, at, *table, route),
            Self::RoutesOwn { prefix, segment } => format!(
                "routes in its own table: {prefix} is the subnet of {}, which it has",
                fabric.segment(*segment).name.value
            ),
            Self::Resolves { endpoint, by } => {
                let endpoint = fabric.endpoint(*endpoint);
                let (name, mac) = (&endpoint.name.value, endpoint.mac.value);
                match by {
                    Resolved::Evpn => format!("knows that {name} has {mac} from EVPN"),
                    Resolved::Asking => format!("has asked: {name} has {mac}"),
                }
            }
            Self::Encapsulates { vni, to, known, of } => {
                encapsulates(state, at, (*vni, *to), *known, *of)
            }
            Self::Underlay { prefix, source, metric, of } => {
                underlay(prefix, *source, *metric, *of)
            }
            Self::Decapsulates { vni, presence } => {
                let vlan = fabric.presence(*presence).vlan;
                let vlan = vlan.map(|vlan| format!(", VLAN {}", vlan.value)).unwrap_or_default();
                format!(
                    "decapsulates: VNI {vni} is the segment {}{vlan}",
                    segment_of(fabric, *presence)
                )
            }
            Self::IntoWire { end, to, .. } => {
                let end = fabric.pseudowire(*end);
                let name = &end.name.value;
                format!("into the pseudowire {name}: {} for {to}", Shim::of(end))
            }
            Self::OutOfWire { end } => {
                let end = fabric.pseudowire(*end);
                let port = fabric.port_name(end.port.value);
                format!("out of the pseudowire {} by {port}", end.name.value)
            }
            Self::DecapsulatesRouted { vni, vrf } => {
                format!("decapsulates: VNI {vni} is the VRF {}", fabric.vrf(*vrf).name.value)
            }
        }
    }
}

fn switch_of(fabric: &Fabric, presence: PresenceId) -> &str {
    fabric.device_name(fabric.presence(presence).switch)
}

fn segment_of(fabric: &Fabric, presence: PresenceId) -> &str {
    &fabric.segment(fabric.presence(presence).segment).name.value
}

fn takes(fabric: &Fabric, network: NetworkId, tag: Option<VlanId>, by_guest: bool) -> String {
    let name = &fabric.network(network).name.value;
    match (tag, by_guest) {
        (Some(tag), false) => format!("network {name}: the virtual switch adds tag {tag}"),
        (Some(tag), true) => format!("network {name}: the guest tags with {tag} itself"),
        (None, _) => format!("network {name}: untagged"),
    }
}

fn uplink(fabric: &Fabric, bond: Option<BondId>) -> String {
    let Some(bond) = bond.map(|bond| fabric.bond(bond)) else {
        return "leaves by the network\u{2019}s NIC".to_owned();
    };
    let hash = match (bond.lag, bond.hash) {
        (Some(_), Some(hash)) => format!(", spread by {}", hash.value),
        (Some(_), None) => ", spread by addresses".to_owned(),
        (None, _) => String::new(),
    };
    format!("bond {}, {}{hash}", bond.name.value, bond.protocol.value)
}

fn bridges(fabric: &Fabric, side: Bridging) -> String {
    match side {
        Bridging::Here => "bridges: the station is behind its own port".to_owned(),
        Bridging::PeerLink => {
            "bridges over the peer link: the station is behind the other side of the pair"
                .to_owned()
        }
        Bridging::Behind(next) => format!("bridges towards {}", fabric.device_name(next)),
    }
}

fn floods(list: &FloodList, unknown: bool) -> String {
    let why = if unknown { "does not know the station, so it floods" } else { "floods" };
    if let Some(group) = list.group {
        return format!("{why}: one packet to the group {group}");
    }
    let to: Vec<_> = list.targets.iter().map(|target| target.address.to_string()).collect();
    match to.len() {
        0 => format!("{why}: no VTEP is on its list"),
        1..=4 => format!("{why}: a copy each to {}", to.join(", ")),
        count => {
            format!("{why}: {count} copies, to {} and {} more", to[..3].join(", "), count - 3)
        }
    }
}

/// By which session a VTEP has the routes of another.
fn by_session(state: &State, at: DeviceId, origin: DeviceId) -> String {
    let fabric = state.fabric();
    let told = state.brought_by(at, origin).map(|session| fabric.session(session).peer);
    match told {
        Some(peer) if peer == origin => {
            format!("by the session with {}", fabric.device_name(peer))
        }
        Some(peer) => {
            let (origin, peer) = (fabric.device_name(origin), fabric.device_name(peer));
            format!("of {origin}, by the session with {peer}")
        }
        None => format!("of {}", fabric.device_name(origin)),
    }
}

fn routes(state: &State, at: DeviceId, table: Table, route: &TenantRoute) -> String {
    let fabric = state.fabric();
    let by = match table {
        Table::Vrf(vrf) => format!("VRF {}", fabric.vrf(vrf).name.value),
        Table::Own => "its own table".to_owned(),
    };
    let how = match route.source {
        TenantSource::Segment(segment) => {
            format!("the subnet of {}, which it has", fabric.segment(segment).name.value)
        }
        TenantSource::Outside(outside) => {
            format!("leads out to {}", fabric.outside(outside).name.value)
        }
        TenantSource::Static => "a static route".to_owned(),
        TenantSource::Leaked(from) => format!("leaked from VRF {}", fabric.vrf(from).name.value),
        TenantSource::Learned(learnt) => {
            format!("an IP prefix route (type 5) {}", by_session(state, at, learnt.switch))
        }
        TenantSource::Host(learnt) => {
            format!("by a MAC/IP advertisement (type 2) {}", by_session(state, at, learnt.switch))
        }
    };
    format!("routes in {by}: {} {how}", route.prefix)
}

fn encapsulates(
    state: &State,
    at: DeviceId,
    (vni, to): (Vni, IpAddr),
    known: Known,
    of: usize,
) -> String {
    let fabric = state.fabric();
    let by = match known {
        Known::MacIp(there) => {
            let origin = fabric.presence(there).switch;
            format!(": a MAC/IP advertisement (type 2) {}", by_session(state, at, origin))
        }
        Known::Frames(there) => format!(": learned from frames of {}", switch_of(fabric, there)),
        Known::Flooded(there) => format!(": the copy that leads to {}", switch_of(fabric, there)),
        // What is routed goes by the route that was told above.
        Known::Host(_) | Known::Prefix(_) => String::new(),
    };
    let of = match of {
        0 | 1 => String::new(),
        of => format!(", 1 of {of} VTEPs that it spreads over"),
    };
    format!("encapsulates with VNI {vni} for {to}{by}{of}")
}

fn underlay(prefix: &IpPrefix, source: RouteSource, metric: u32, of: usize) -> String {
    let by = match source {
        RouteSource::Connected => "a neighbour\u{2019}s".to_owned(),
        RouteSource::Static => "a static route".to_owned(),
        RouteSource::Learned(UnderlayProtocol::Bgp) => {
            format!("by BGP, {metric} AS numbers away")
        }
        RouteSource::Learned(protocol) => {
            format!("by {}, cost {metric}", protocol.to_string().to_uppercase())
        }
    };
    let of = match of {
        0 | 1 => String::new(),
        of => format!(", {of} next hops as good"),
    };
    format!("underlay: {prefix} {by}{of}")
}
