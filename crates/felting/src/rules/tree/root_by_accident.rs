use std::collections::BTreeMap;

use super::{bridge_name, bridge_place, chosen, place, port_name};
use crate::behaviour::{Aspect, BridgeId, BridgePortId, Entity, PortRole};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tree-root-by-accident",
        severity: Severity::Warning,
        summary: "nobody chose the root bridge",
        explain: "Where links discard, the root decides which. With the priority that all devices come with, the \
              lowest MAC address wins: most often the oldest switch, in the farthest corner. Its replacement \
              moves the whole tree. (Where no link discards the root changes nothing, and nothing is said.)",
        sources: &["IEEE 802.1Q clause 13.10", "IEEE 802.1Q table 13-3"],
        broken: r#"
[[switch]]
name = "jetty"
number = 20
role = "access"
ports = "p[1-2] 1G"

[[switch]]
name = "mud-[1-2]"
number = 21
role = "access"
ports = "p[1-2] 1G"

[[port]]
on = ["jetty", "mud-*"]
ports = "p[1-2]"
untagged = 420

[cabling]
runs = [
  "jetty p[1-2] -- mud-[1-2] p1",
  "mud-1 p2 -- mud-2 p2",
]
"#,
        mend: &[("[[port]]", "[[tree]]\non = \"jetty\"\npriority = 4096\n\n[[port]]")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let trees = cx.state.trees();
    // One port that discards stands for each root; a root of several trees is told once.
    let mut discards: BTreeMap<BridgeId, BridgePortId> = BTreeMap::new();
    for (port, of) in trees.ports() {
        for tree in trees.holding(of.bridge) {
            // What a bridge hears of itself it shuts out, whoever is root.
            let shut = trees
                .in_tree(tree, port)
                .is_some_and(|(role, _)| role.discards() && role != PortRole::Backup);
            let case = tree.bridges[of.bridge].filter(|_| shut);
            if let Some(case) = case.filter(|case| !chosen(cx, tree, case.root)) {
                discards.entry(case.root).or_insert(port);
            }
        }
    }
    for (id, port) in discards {
        let bridge = trees.bridge(id);
        let device = bridge.devices[0];
        let claimed = |aspect| cx.state.causes().claimed(Entity::Device(device), aspect).is_some();
        // Two bridges of one address are another fault.
        if claimed(Aspect::Tree) || claimed(Aspect::Mac) {
            continue;
        }
        let name = bridge_name(cx, id);
        out.report(
            bridge_place(cx, id),
            format!("root by its MAC address, {}", bridge.identifier.mac),
            format!("nobody chose the root bridge: {name} won by its MAC address"),
        )
        .related(place(cx, port), format!("{} discards because of it", port_name(cx, port)))
        .wire(format!("all frames of this tree go by way of {name}, until a switch with a lower MAC address comes"))
        .remedy("give the bridge that should be root the priority 4096, and the next best 8192")
        .about(device);
    }
}
