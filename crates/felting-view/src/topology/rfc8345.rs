//! The network-topology model of RFC 8345.

#![allow(
    clippy::struct_field_names,
    reason = "the names are those of the modules ietf-network and ietf-network-topology"
)]

use std::collections::{BTreeMap, BTreeSet};

use felting::fabric::{DeviceId, InterfacePlace};
use felting::progress::{Progress, Stage};
use felting::value::Family;
use felting::{Fabric, State};
use serde::{Serialize, Serializer};

use crate::json_text;

/// The topology as RFC 8345 has it, in the JSON of RFC 7951: the cabling, on it the underlay with the links
/// whose routers are neighbours, on that the overlay with the EVPN sessions that are up.
pub fn topology_rfc8345(state: &State, progress: &Progress) -> String {
    let fabric = state.fabric();
    let made = [cabling(fabric), underlay(state), overlay(state)];
    let network: Vec<Made<'_>> = made.into_iter().filter(|one| !one.node.is_empty()).collect();
    progress.begin(Stage::Writing, network.iter().map(|one| one.node.len() + one.link.len()).sum());
    let network = network.iter().map(|one| one.told(progress)).collect();
    let page = Page { networks: Networks { network } };
    let mut text = json_text::pretty(&page);
    text.push('\n');
    text
}

#[derive(Serialize)]
struct Page<N> {
    #[serde(rename = "ietf-network:networks")]
    networks: Networks<N>,
}

#[derive(Serialize)]
struct Networks<N> {
    network: Vec<N>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Network<N, L> {
    network_id: &'static str,
    network_types: Nothing,
    #[serde(skip_serializing_if = "Option::is_none")]
    supporting_network: Option<[NetworkRef; 1]>,
    node: N,
    #[serde(rename = "ietf-network-topology:link")]
    link: L,
}

/// A network as it is made, before it is told how far its writing is.
type Made<'a> = Network<Vec<Node<'a>>, Vec<Link<'a>>>;

#[derive(Clone, Copy, Serialize)]
struct Nothing {}

#[derive(Clone, Copy, Serialize)]
#[serde(rename_all = "kebab-case")]
struct NetworkRef {
    network_ref: &'static str,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Node<'a> {
    node_id: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    supporting_node: Option<[NodeRef<'a>; 1]>,
    #[serde(rename = "ietf-network-topology:termination-point")]
    termination_points: Vec<Point>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct NodeRef<'a> {
    network_ref: &'static str,
    node_ref: &'a str,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Point {
    tp_id: String,
}

/// A link of RFC 8345 goes one way; what goes both ways is two (section 4.4).
#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Link<'a> {
    link_id: String,
    source: Source<'a>,
    destination: Destination<'a>,
    #[serde(skip_serializing_if = "Option::is_none")]
    supporting_link: Option<[LinkRef; 1]>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Source<'a> {
    source_node: &'a str,
    source_tp: String,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Destination<'a> {
    dest_node: &'a str,
    dest_tp: String,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct LinkRef {
    network_ref: &'static str,
    link_ref: String,
}

/// A list, of which each that is written is told as a step.
struct Told<'t, T> {
    list: &'t [T],
    progress: &'t Progress,
}

impl<T: Serialize> Serialize for Told<'_, T> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.list.iter().inspect(|_| self.progress.advance(1)))
    }
}

impl<'a> Made<'a> {
    fn new(id: &'static str, on: Option<&'static str>) -> Self {
        Self {
            network_id: id,
            network_types: Nothing {},
            supporting_network: on.map(|network_ref| [NetworkRef { network_ref }]),
            node: Vec::new(),
            link: Vec::new(),
        }
    }

    fn told<'t>(
        &'t self,
        progress: &'t Progress,
    ) -> Network<Told<'t, Node<'a>>, Told<'t, Link<'a>>> {
        Network {
            network_id: self.network_id,
            network_types: self.network_types,
            supporting_network: self.supporting_network,
            node: Told { list: &self.node, progress },
            link: Told { list: &self.link, progress },
        }
    }

    /// Adds the links of what goes both ways.
    fn both_ways(&mut self, ends: &[(&'a str, String); 2], on: Option<[LinkRef; 2]>) {
        let mut on = on.into_iter().flatten();
        for [from, to] in [[0, 1], [1, 0]].map(|ways| ways.map(|end| &ends[end])) {
            self.link.push(Link {
                link_id: format!("{} {} > {} {}", from.0, from.1, to.0, to.1),
                source: Source { source_node: from.0, source_tp: from.1.clone() },
                destination: Destination { dest_node: to.0, dest_tp: to.1.clone() },
                supporting_link: on.next().map(|link| [link]),
            });
        }
    }
}

const CABLING: &str = "cabling";
const UNDERLAY: &str = "underlay";
const OVERLAY: &str = "overlay";

fn cabling(fabric: &Fabric) -> Made<'_> {
    let mut network = Made::new(CABLING, None);
    for (_, device) in fabric.devices() {
        let cabled = device.ports.iter().filter(|&port| fabric.link(port).is_some());
        network.node.push(Node {
            node_id: device.name.value.as_str(),
            supporting_node: None,
            termination_points: cabled
                .map(|port| Point { tp_id: fabric.port_name(port).to_owned() })
                .collect(),
        });
    }
    let mut seen = BTreeSet::new();
    for (_, cable) in fabric.cables() {
        let [a, b] = cable.ends.map(|end| end.value);
        // One port has one cable; a second one is a fault that is told as such.
        let own = fabric.link(a).is_some_and(|(_, far)| far == b);
        if cable.loopback || !own || !seen.insert((a, b)) {
            continue;
        }
        let end = |port| {
            (fabric.device_name(fabric.port(port).device), fabric.port_name(port).to_owned())
        };
        network.both_ways(&[end(a), end(b)], None);
    }
    network
}

fn underlay(state: &State) -> Made<'_> {
    let fabric = state.fabric();
    let mut network = Made::new(UNDERLAY, Some(CABLING));
    let adjacencies: Vec<_> =
        state.underlay().adjacencies().filter(|(_, one)| one.fault.is_none()).collect();
    let used: BTreeSet<_> = adjacencies.iter().flat_map(|(_, one)| [one.near, one.far]).collect();
    for (_, router) in fabric.routers() {
        let node_id = fabric.device_name(router.device);
        let interfaces = router.interfaces.iter().filter(|interface| used.contains(interface));
        network.node.push(Node {
            node_id,
            supporting_node: Some([NodeRef { network_ref: CABLING, node_ref: node_id }]),
            termination_points: interfaces
                .map(|interface| Point { tp_id: fabric.interface_name(interface) })
                .collect(),
        });
    }
    for (_, one) in adjacencies {
        let ends = [one.near, one.far].map(|interface| {
            let device = fabric.device_name(fabric.interface(interface).device);
            (device, fabric.interface_name(interface))
        });
        let ports = [one.near, one.far].map(|interface| match fabric.interface(interface).place {
            InterfacePlace::Port(port) => Some(port),
            _ => None,
        });
        let cabled = match ports {
            [Some(a), Some(b)] if fabric.link(a).is_some_and(|(_, far)| far == b) => {
                Some([(a, b), (b, a)].map(|(from, to)| LinkRef {
                    network_ref: CABLING,
                    link_ref: format!("{} > {}", fabric.port_label(from), fabric.port_label(to)),
                }))
            }
            _ => None,
        };
        network.both_ways(&ends, cabled);
    }
    network
}

fn overlay(state: &State) -> Made<'_> {
    let fabric = state.fabric();
    let mut network = Made::new(OVERLAY, Some(UNDERLAY));
    let mut peers: BTreeMap<DeviceId, BTreeSet<DeviceId>> =
        fabric.overlays().map(|(_, overlay)| (overlay.device, BTreeSet::new())).collect();
    for (id, session) in fabric.sessions() {
        if state.bgp().session(id).carries(Family::Evpn) {
            peers.entry(session.device).or_default().insert(session.peer);
            peers.entry(session.peer).or_default().insert(session.device);
        }
    }
    let point = |peer: DeviceId| format!("session with {}", fabric.device_name(peer));
    for (&device, peers) in &peers {
        let node_id = fabric.device_name(device);
        network.node.push(Node {
            node_id,
            supporting_node: Some([NodeRef { network_ref: UNDERLAY, node_ref: node_id }]),
            termination_points: peers.iter().map(|&peer| Point { tp_id: point(peer) }).collect(),
        });
        // Each is known from both ends.
        for &peer in peers.range(device..) {
            let ends = [(device, peer), (peer, device)]
                .map(|(own, far)| (fabric.device_name(own), point(far)));
            network.both_ways(&ends, None);
        }
    }
    network
}
