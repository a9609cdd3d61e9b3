//! The topology for other programs: as Graphviz DOT, and as the network-topology model of RFC 8345.

use std::collections::BTreeSet;
use std::fmt::Write as _;

use felting::fabric::{DeviceId, DeviceKind};
use felting::value::Family;
use felting::{Fabric, State};
use serde_json::{Value, json};

/// The cabling as an undirected graph in the DOT language: a node for each switch and host, with pairs as
/// clusters, an edge for each cable with its ports.
pub fn topology_dot(fabric: &Fabric) -> String {
    let mut page = String::new();
    // Writing to a String cannot fail, here and below.
    let _ = writeln!(page, "graph {} {{", quoted(fabric.name()));
    page.push_str("  node [shape=box];\n");
    let mut in_pair: BTreeSet<DeviceId> = BTreeSet::new();
    for (place, (_, pair)) in fabric.pairs().enumerate() {
        let _ = writeln!(page, "  subgraph cluster_{place} {{");
        let _ = writeln!(page, "    label={};", quoted(&pair.name.value));
        for side in &pair.sides {
            in_pair.insert(side.switch.value);
            let _ = writeln!(page, "    {};", node(fabric, side.switch.value));
        }
        page.push_str("  }\n");
    }
    for (id, _) in fabric.devices().filter(|(id, _)| !in_pair.contains(id)) {
        let _ = writeln!(page, "  {};", node(fabric, id));
    }
    for (_, cable) in fabric.cables() {
        let [a, b] = cable.ends.map(|end| end.value);
        let names = [a, b].map(|port| quoted(fabric.device_name(fabric.port(port).device)));
        let ports = [a, b].map(|port| quoted(fabric.port_name(port)));
        let _ = writeln!(
            page,
            "  {} -- {} [taillabel={}, headlabel={}, tooltip={}];",
            names[0],
            names[1],
            ports[0],
            ports[1],
            quoted(&fabric.port(a).speed.to_string())
        );
    }
    page.push_str("}\n");
    page
}

fn node(fabric: &Fabric, id: DeviceId) -> String {
    let made = fabric.device(id);
    let style = match made.kind {
        DeviceKind::Host => " [style=rounded]",
        DeviceKind::Switch => "",
    };
    format!("{}{style}", quoted(&made.name.value))
}

/// A quoted string of the DOT language, in which only the quote itself is escaped; a backslash before one
/// would escape it.
fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}

/// The topology as RFC 8345 has it, in the JSON of RFC 7951: the cabling, on it the underlay with the links
/// whose routers are neighbors, on that the overlay with the EVPN sessions that are up.
pub fn topology_rfc8345(fabric: &Fabric, state: &State) -> String {
    let networks = [cabling(fabric), underlay(fabric, state), overlay(fabric, state)];
    let networks: Vec<Value> = networks.into_iter().flatten().collect();
    let page = json!({ "ietf-network:networks": { "network": networks } });
    let mut text = serde_json::to_string_pretty(&page).expect("strings always serialise");
    text.push('\n');
    text
}

/// A link of RFC 8345 goes one way; what goes both ways is two (section 4.4).
fn both_ways(ends: &[(&str, String); 2], supporting: Option<&[Value; 2]>) -> Vec<Value> {
    let id = |from: usize| {
        let [a, b] = [&ends[from], &ends[1 - from]];
        format!("{} {} > {} {}", a.0, a.1, b.0, b.1)
    };
    let mut links = Vec::with_capacity(2);
    for from in 0..2 {
        let to = 1 - from;
        let mut link = json!({
            "link-id": id(from),
            "source": { "source-node": ends[from].0, "source-tp": ends[from].1 },
            "destination": { "dest-node": ends[to].0, "dest-tp": ends[to].1 },
        });
        if let Some(supporting) = supporting {
            link["supporting-link"] = json!([supporting[from]]);
        }
        links.push(link);
    }
    links
}

const CABLING: &str = "cabling";
const UNDERLAY: &str = "underlay";
const OVERLAY: &str = "overlay";
const LINK: &str = "ietf-network-topology:link";
const POINT: &str = "ietf-network-topology:termination-point";

fn link_id(fabric: &Fabric, from: felting::fabric::PortId, to: felting::fabric::PortId) -> String {
    format!("{} > {}", fabric.port_label(from), fabric.port_label(to))
}

fn cabling(fabric: &Fabric) -> Option<Value> {
    let nodes: Vec<Value> = fabric
        .devices()
        .map(|(_, device)| {
            let cabled = device.ports.iter().filter(|&port| fabric.link(port).is_some());
            let points: Vec<Value> =
                cabled.map(|port| json!({ "tp-id": fabric.port_name(port) })).collect();
            json!({ "node-id": device.name.value.as_str(), POINT: points })
        })
        .collect();
    let mut seen = BTreeSet::new();
    let links: Vec<Value> = fabric
        .cables()
        .filter(|(_, cable)| {
            // One port has one cable; a second one is a fault that is told as such.
            let [a, b] = cable.ends.map(|end| end.value);
            !cable.loopback
                && fabric.link(a).is_some_and(|(_, far)| far == b)
                && seen.insert((a, b))
        })
        .flat_map(|(_, cable)| {
            let ends = cable.ends.map(|end| {
                let device = fabric.device_name(fabric.port(end.value).device);
                (device, fabric.port_name(end.value).to_owned())
            });
            both_ways(&ends, None)
        })
        .collect();
    (!nodes.is_empty())
        .then(|| json!({ "network-id": CABLING, "network-types": {}, "node": nodes, LINK: links }))
}

/// What stands on a node of another network.
fn on(network: &str, node: &str) -> Value {
    json!([{ "network-ref": network, "node-ref": node }])
}

fn underlay(fabric: &Fabric, state: &State) -> Option<Value> {
    let adjacencies: Vec<_> =
        state.underlay().adjacencies().filter(|(_, one)| one.fault.is_none()).collect();
    let used: BTreeSet<_> = adjacencies.iter().flat_map(|(_, one)| [one.near, one.far]).collect();
    let nodes: Vec<Value> = fabric
        .routers()
        .map(|(_, router)| {
            let name = fabric.device_name(router.device);
            let interfaces = router.interfaces.iter().filter(|interface| used.contains(interface));
            let points: Vec<Value> = interfaces
                .map(|interface| json!({ "tp-id": fabric.interface_name(interface) }))
                .collect();
            json!({ "node-id": name, "supporting-node": on(CABLING, name), POINT: points })
        })
        .collect();
    let links: Vec<Value> = adjacencies
        .iter()
        .flat_map(|(_, one)| {
            let ends = [one.near, one.far].map(|interface| {
                let device = fabric.device_name(fabric.interface(interface).device);
                (device, fabric.interface_name(interface))
            });
            let ports = [one.near, one.far].map(|interface| match fabric.interface(interface).place {
                felting::fabric::InterfacePlace::Port(port) => Some(port),
                _ => None,
            });
            let supporting = match ports {
                [Some(a), Some(b)] if fabric.link(a).is_some_and(|(_, far)| far == b) => {
                    let by = |from, to| {
                        json!({ "network-ref": CABLING, "link-ref": link_id(fabric, from, to) })
                    };
                    Some([by(a, b), by(b, a)])
                }
                _ => None,
            };
            both_ways(&ends, supporting.as_ref())
        })
        .collect();
    (!nodes.is_empty()).then(|| {
        json!({
            "network-id": UNDERLAY,
            "network-types": {},
            "supporting-network": [{ "network-ref": CABLING }],
            "node": nodes,
            LINK: links,
        })
    })
}

fn overlay(fabric: &Fabric, state: &State) -> Option<Value> {
    let mut speaks: BTreeSet<DeviceId> =
        fabric.overlays().map(|(_, overlay)| overlay.device).collect();
    let mut between: BTreeSet<(DeviceId, DeviceId)> = BTreeSet::new();
    for (id, session) in fabric.sessions() {
        if state.bgp().session(id).carries(Family::Evpn) {
            speaks.extend([session.device, session.peer]);
            between.insert((session.device.min(session.peer), session.device.max(session.peer)));
        }
    }
    let peers = |device: DeviceId| {
        between.iter().filter_map(move |&(a, b)| match device {
            own if own == a => Some(b),
            own if own == b => Some(a),
            _ => None,
        })
    };
    let nodes: Vec<Value> = speaks
        .iter()
        .map(|&device| {
            let name = fabric.device_name(device);
            let points: Vec<Value> = peers(device)
                .map(
                    |peer| json!({ "tp-id": format!("session with {}", fabric.device_name(peer)) }),
                )
                .collect();
            json!({ "node-id": name, "supporting-node": on(UNDERLAY, name), POINT: points })
        })
        .collect();
    let links: Vec<Value> = between
        .iter()
        .flat_map(|&(a, b)| {
            let point = |own: DeviceId, peer: DeviceId| {
                (fabric.device_name(own), format!("session with {}", fabric.device_name(peer)))
            };
            both_ways(&[point(a, b), point(b, a)], None)
        })
        .collect();
    (!nodes.is_empty()).then(|| {
        json!({
            "network-id": OVERLAY,
            "network-types": {},
            "supporting-network": [{ "network-ref": UNDERLAY }],
            "node": nodes,
            LINK: links,
        })
    })
}
