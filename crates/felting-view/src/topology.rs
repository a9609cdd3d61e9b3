//! The topology for other programs: as Graphviz DOT, and as the network-topology model of RFC 8345.

mod rfc8345;

use std::collections::BTreeSet;
use std::fmt::Write as _;

use felting::State;
use felting::fabric::{DeviceId, DeviceKind, PortId, Selection};
use felting::progress::{Progress, Stage};

pub use rfc8345::topology_rfc8345;

/// The cabling as an undirected graph in the DOT language: a node for each switch and host, with pairs as
/// clusters, an edge for each cable with its ports. What is down is dashed. Of a part of the fabric: its switches and
/// hosts, with what they are cabled to.
pub fn topology_dot(state: &State, only: Option<&Selection>, progress: &Progress) -> String {
    let fabric = state.fabric();
    let asked = |device: DeviceId| only.is_none_or(|only| only.has_device(device));
    let mut page = String::new();
    // Writing to a String cannot fail, here and below.
    let _ = writeln!(page, "graph {} {{", quoted(fabric.name()));
    page.push_str("  node [shape=box];\n");
    // What is cabled to what is asked for is drawn too.
    let mut drawn: BTreeSet<DeviceId> =
        fabric.devices().map(|(id, _)| id).filter(|&id| asked(id)).collect();
    let ends_of = |ends: [PortId; 2]| ends.map(|port| fabric.port(port).device);
    let cables: Vec<[PortId; 2]> = fabric
        .cables()
        .map(|(_, cable)| cable.ends.map(|end| end.value))
        .filter(|&ends| ends_of(ends).into_iter().any(asked))
        .collect();
    drawn.extend(cables.iter().flat_map(|&ends| ends_of(ends)));
    let mut in_pair: BTreeSet<DeviceId> = BTreeSet::new();
    for (place, (_, pair)) in fabric.pairs().enumerate() {
        let sides = pair.sides.each_ref().map(|side| side.switch.value);
        if !sides.iter().any(|side| drawn.contains(side)) {
            continue;
        }
        let _ = writeln!(page, "  subgraph cluster_{place} {{");
        let _ = writeln!(page, "    label={};", quoted(&pair.name.value));
        for side in sides.into_iter().filter(|side| drawn.contains(side)) {
            in_pair.insert(side);
            let _ = writeln!(page, "    {};", node(state, side));
        }
        page.push_str("  }\n");
    }
    for &id in drawn.difference(&in_pair) {
        let _ = writeln!(page, "  {};", node(state, id));
    }
    for [a, b] in progress.each(Stage::Writing, cables.into_iter()) {
        let names = [a, b].map(|port| quoted(fabric.device_name(fabric.port(port).device)));
        let ports = [a, b].map(|port| quoted(fabric.port_name(port)));
        let down = if state.plugged(a) == Some(b) { "" } else { ", style=dashed" };
        let _ = writeln!(
            page,
            "  {} -- {} [taillabel={}, headlabel={}, tooltip={}{down}];",
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

fn node(state: &State, id: DeviceId) -> String {
    let made = state.fabric().device(id);
    let style = match (made.kind, state.is_off(id)) {
        (DeviceKind::Host, false) => " [style=rounded]",
        (DeviceKind::Host, true) => " [style=\"rounded,dashed\"]",
        (DeviceKind::Switch, false) => "",
        (DeviceKind::Switch, true) => " [style=dashed]",
    };
    format!("{}{style}", quoted(&made.name.value))
}

/// A quoted string of the DOT language, in which only the quote itself is escaped; a backslash before one
/// would escape it.
fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}
