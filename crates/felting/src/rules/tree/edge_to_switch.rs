use super::{bridge_name, place, port_name};
use crate::behaviour::Carrier;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tree-edge-to-switch",
        severity: Severity::Warning,
        summary: "an edge port leads to a switch",
        explain: "An edge port forwards at once, since no bridge is expected behind it. With a bridge there it \
              forwards before the tree has settled, which is a loop for that time; devices that shut an edge port \
              on the first BPDU cut the switch off.",
        sources: &["IEEE 802.1Q clause 13.27.1 (AdminEdge)", "IEEE 802.1Q clause 13.31"],
        broken: r#"
[[switch]]
name = "jetty"
ports = "p[1-2] 1G"

[[switch]]
name = "mud-1"
ports = "p[1-2] 1G"

[[port]]
on = "jetty"
ports = "p1"
untagged = 420
edge = true

[[port]]
on = "mud-1"
ports = "p1"
untagged = 420

[cabling]
runs = "jetty p1 -- mud-1 p1"
"#,
        mend: &[("edge = true\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let (fabric, trees) = (cx.fabric, cx.state.trees());
    // A statement for several ports is one fault, told at the first that leads to a switch.
    let mut told = rustc_hash::FxHashSet::default();
    for (id, port) in trees.ports() {
        let edge = match port.carrier {
            Carrier::Port(physical) => match fabric.lag_of(physical) {
                Some(lag) => Some(fabric.lag(lag).tree.edge),
                None => fabric.settings_of(physical).map(|settings| settings.tree.edge),
            },
            Carrier::Lag(lag) => Some(fabric.lag(lag).tree.edge),
            Carrier::Group(group) => {
                let halves = fabric.group(group).halves.into_iter().flatten();
                halves.map(|half| fabric.lag(half).tree.edge).find(|edge| edge.value)
            }
        };
        let Some(edge) = edge.filter(|edge| edge.value) else { continue };
        let neighbour = trees.neighbours(id).find(|&other| trees.port(other).bridge != port.bridge);
        let Some(other) = neighbour.filter(|_| told.insert(edge.span)) else { continue };
        let bridge = trees.port(other).bridge;
        let (name, far) = (port_name(cx, id), bridge_name(cx, bridge));
        out.report(edge.span, "an edge port", format!("{name} is an edge port, but leads to the switch {far}"))
            .related(place(cx, other), format!("{} is at its end", port_name(cx, other)))
            .wire(format!("{name} forwards before the tree has settled: a short loop each time {far} comes up, or a port that is shut"))
            .remedy(format!("take `edge` off {name}"))
            .about(trees.bridge(port.bridge).devices[0])
            .about(trees.bridge(bridge).devices[0]);
    }
}
