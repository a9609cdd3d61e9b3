//! What devices do with packets, in words.

use felting::behavior::{RouteSource, TenantSource};
use felting::fabric::DeviceId;
use felting::value::UnderlayProtocol;
use felting::walk::{Act, Hop, Known, Resolved, Side, Table};

use super::Drawer;

impl Drawer<'_> {
    fn table(&self, table: Table) -> String {
        match table {
            Table::Vrf(vrf) => format!("VRF {}", self.fabric.vrf(vrf).name.value),
            Table::Own => "its own table".to_owned(),
        }
    }

    /// By which session a VTEP has the routes of another.
    fn by_session(&self, at: DeviceId, origin: DeviceId) -> String {
        match self.state.brought_by(at, origin) {
            Some(session) => {
                let peer = self.fabric.device_name(self.fabric.session(session).peer);
                match self.fabric.session(session).peer == origin {
                    true => format!("by the session with {peer}"),
                    false => {
                        let origin = self.fabric.device_name(origin);
                        format!("of {origin}, by the session with {peer}")
                    }
                }
            }
            None => format!("of {}", self.fabric.device_name(origin)),
        }
    }

    /// What a device does with a packet, in words.
    pub(crate) fn act(&self, hop: &Hop, act: &Act) -> String {
        let at = hop.device;
        self.on_host(act)
            .or_else(|| self.bridging(act))
            .or_else(|| self.routing(at, act))
            .or_else(|| self.tunnelling(at, act))
            .unwrap_or_default()
    }

    /// On a host.
    fn on_host(&self, act: &Act) -> Option<String> {
        let fabric = self.fabric;
        Some(match act {
            Act::Sends { gateway: Some(gateway) } => {
                format!("the destination is in another subnet: sends to the gateway {gateway}")
            }
            Act::Sends { gateway: None } => "the destination is in the own subnet".to_owned(),
            Act::Takes { network, tag, by_guest } => {
                let name = &fabric.network(*network).name.value;
                match (tag, by_guest) {
                    (Some(tag), false) => {
                        format!("network {name}: the virtual switch adds tag {tag}")
                    }
                    (Some(tag), true) => {
                        format!("network {name}: the guest tags with {tag} itself")
                    }
                    (None, _) => format!("network {name}: untagged"),
                }
            }
            Act::Inside => "both are on this host: it stays inside the virtual switch".to_owned(),
            Act::Uplink { bond: Some(bond) } => {
                let bond = fabric.bond(*bond);
                let hash = match (bond.lag, bond.hash) {
                    (Some(_), Some(hash)) => format!(", spread by {}", hash.value),
                    (Some(_), None) => ", spread by addresses".to_owned(),
                    (None, _) => String::new(),
                };
                format!("bond {}, {}{hash}", bond.name.value, bond.protocol.value)
            }
            Act::Uplink { bond: None } => "leaves by the network\u{2019}s NIC".to_owned(),
            Act::LeadsOut(outside) => {
                format!("leads out of the fabric, to {}", fabric.outside(*outside).name.value)
            }
            Act::Delivers(endpoint) => {
                format!("hands it to {}", fabric.endpoint(*endpoint).name.value)
            }
            _ => return None,
        })
    }

    /// In a VLAN of a switch.
    fn bridging(&self, act: &Act) -> Option<String> {
        let fabric = self.fabric;
        Some(match act {
            Act::Enters { vlan, presence } => match presence {
                Some(presence) => {
                    format!("VLAN {vlan} is the segment {}", self.segment_of(*presence))
                }
                None => format!("VLAN {vlan}"),
            },
            Act::Bridges { side } => match side {
                Side::Here => "bridges: the station is behind its own port".to_owned(),
                Side::PeerLink => {
                    "bridges over the peer link: the station is behind the other side of the pair"
                        .to_owned()
                }
                Side::Behind(next) => {
                    format!("bridges towards {}", fabric.device_name(*next))
                }
                _ => "bridges".to_owned(),
            },
            Act::Floods { list, unknown, .. } => {
                let why =
                    if *unknown { "does not know the station, so it floods" } else { "floods" };
                match list.group {
                    Some(group) => format!("{why}: one packet to the group {group}"),
                    None => {
                        let to: Vec<_> =
                            list.targets.iter().map(|target| target.address.to_string()).collect();
                        match to.len() {
                            0 => format!("{why}: no VTEP is on its list"),
                            1..=4 => format!("{why}: a copy each to {}", to.join(", ")),
                            count => format!(
                                "{why}: {count} copies, to {} and {} more",
                                to[..3].join(", "),
                                count - 3
                            ),
                        }
                    }
                }
            }
            Act::Suppresses { endpoint, told } => format!(
                "answers itself: EVPN told it where {} is (from {})",
                fabric.endpoint(*endpoint).name.value,
                self.switch_of(*told)
            ),
            Act::Answers => "answers: the address is its own".to_owned(),
            _ => return None,
        })
    }

    /// In a routing table.
    fn routing(&self, at: DeviceId, act: &Act) -> Option<String> {
        let fabric = self.fabric;
        Some(match act {
            Act::Routes { table, route } => {
                let by = self.table(*table);
                let how = match route.source {
                    TenantSource::Segment(segment) => {
                        format!(
                            "the subnet of {}, which it has",
                            fabric.segment(segment).name.value
                        )
                    }
                    TenantSource::Outside(outside) => {
                        format!("leads out to {}", fabric.outside(outside).name.value)
                    }
                    TenantSource::Leaked(from) => {
                        format!("leaked from VRF {}", fabric.vrf(from).name.value)
                    }
                    TenantSource::Learned(learnt) => {
                        format!(
                            "an IP prefix route (type 5) {}",
                            self.by_session(at, learnt.switch)
                        )
                    }
                    TenantSource::Host(learnt) => format!(
                        "by a MAC/IP advertisement (type 2) {}",
                        self.by_session(at, learnt.switch)
                    ),
                    _ => "a static route".to_owned(),
                };
                format!("routes in {by}: {} {how}", route.prefix)
            }
            Act::RoutesOwn { prefix, segment } => format!(
                "routes in its own table: {prefix} is the subnet of {}, which it has",
                fabric.segment(*segment).name.value
            ),
            Act::Resolves { endpoint, by } => {
                let endpoint = fabric.endpoint(*endpoint);
                match by {
                    Resolved::Evpn => {
                        format!(
                            "knows that {} has {} from EVPN",
                            endpoint.name.value, endpoint.mac.value
                        )
                    }
                    _ => format!("has asked: {} has {}", endpoint.name.value, endpoint.mac.value),
                }
            }
            _ => return None,
        })
    }

    /// Into the underlay, through it, and out of it.
    fn tunnelling(&self, at: DeviceId, act: &Act) -> Option<String> {
        let fabric = self.fabric;
        Some(match act {
            Act::Encapsulates { vni, to, known, of } => {
                let by = match known {
                    Known::MacIp(there) => {
                        let origin = fabric.presence(*there).switch;
                        format!("a MAC/IP advertisement (type 2) {}", self.by_session(at, origin))
                    }
                    Known::Frames(there) => {
                        format!("learned from frames of {}", self.switch_of(*there))
                    }
                    Known::Flooded(there) => {
                        format!("the copy that leads to {}", self.switch_of(*there))
                    }
                    // What is routed goes by the route that was told above.
                    _ => String::new(),
                };
                let of = match of {
                    0 | 1 => String::new(),
                    of => format!(", 1 of {of} VTEPs that it spreads over"),
                };
                match by.is_empty() {
                    true => format!("encapsulates with VNI {vni} for {to}{of}"),
                    false => format!("encapsulates with VNI {vni} for {to}: {by}{of}"),
                }
            }
            Act::Underlay { prefix, source, metric, of } => {
                let by = match source {
                    RouteSource::Connected => "a neighbor\u{2019}s".to_owned(),
                    RouteSource::Static => "a static route".to_owned(),
                    RouteSource::Learned(UnderlayProtocol::Bgp) => {
                        format!("by BGP, {metric} AS numbers away")
                    }
                    RouteSource::Learned(protocol) => {
                        format!("by {}, cost {metric}", protocol.to_string().to_uppercase())
                    }
                    _ => "known".to_owned(),
                };
                let of = match of {
                    0 | 1 => String::new(),
                    of => format!(", {of} next hops as good"),
                };
                format!("underlay: {prefix} {by}{of}")
            }
            Act::Decapsulates { vni, presence } => {
                let vlan = fabric.presence(*presence).vlan;
                let vlan = vlan.map(|vlan| format!(", VLAN {}", vlan.value)).unwrap_or_default();
                format!(
                    "decapsulates: VNI {vni} is the segment {}{vlan}",
                    self.segment_of(*presence)
                )
            }
            Act::DecapsulatesRouted { vni, vrf } => {
                format!("decapsulates: VNI {vni} is the VRF {}", fabric.vrf(*vrf).name.value)
            }
            _ => return None,
        })
    }
}
