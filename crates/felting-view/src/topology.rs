//! The topology for other programs: as Graphviz DOT, and as the network-topology model of RFC 8345.

mod rfc8345;

use std::collections::BTreeSet;
use std::fmt::Write as _;

use felting::Fabric;
use felting::fabric::{DeviceId, DeviceKind};
use felting::progress::{Progress, Stage};

pub use rfc8345::topology_rfc8345;

/// The cabling as an undirected graph in the DOT language: a node for each switch and host, with pairs as
/// clusters, an edge for each cable with its ports.
pub fn topology_dot(fabric: &Fabric, progress: &Progress) -> String {
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
    for (_, cable) in progress.each(Stage::Writing, fabric.cables()) {
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
