use rustc_hash::FxHashMap;

use super::{bridge_name, bridge_place, chosen, port_name};
use crate::behaviour::{Aspect, BridgeId, BridgePortId, Entity};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Role;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tree-root-misplaced",
        severity: Severity::Warning,
        summary: "an access switch is the root bridge while better bridges exist",
        explain: "Frames between any two switches go by way of the root's side of the tree. At the edge, on slow \
              links, the root pulls the traffic of the fast core through them, and the faster links discard.",
        sources: &["IEEE 802.1Q clause 13.10"],
        broken: r#"
[[switch]]
name = "jetty"
number = 20
role = "leaf"
ports = "p[1-2] 1G"

[[switch]]
name = "mud-[1-2]"
number = 21
role = "access"
ports = "p[1-2] 1G"

[[tree]]
on = "mud-1"
priority = 4096

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
        mend: &[("on = \"mud-1\"", "on = \"jetty\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let (fabric, trees) = (cx.fabric, cx.state.trees());
    let role = |device| fabric.device(device).role.map(|role| role.value);
    // One bridge nearer to the core stands for each root.
    // One that nobody chose is another fault.
    let mut nearer: FxHashMap<BridgeId, BridgeId> = FxHashMap::default();
    for (id, of) in trees.bridges() {
        let core = [Role::Leaf, Role::Border, Role::Spine, Role::SuperSpine];
        let in_core = role(of.devices[0]).is_some_and(|role| core.contains(&role));
        for tree in trees.holding(id).filter(|_| in_core) {
            if let Some(case) = tree.bridges[id].filter(|case| chosen(cx, tree, case.root)) {
                nearer.entry(case.root).or_insert(id);
            }
        }
    }
    for (id, bridge) in trees.bridges() {
        let device = bridge.devices[0];
        let looped = cx.state.causes().claimed(Entity::Device(device), Aspect::Tree).is_some();
        if looped || role(device) != Some(Role::Access) {
            continue;
        }
        let Some(&better) = nearer.get(&id) else { continue };
        let of = trees.bridge(better);
        let (name, other) = (bridge_name(cx, id), bridge_name(cx, better));
        out.report(
            bridge_place(cx, id),
            format!("{name} is root with {}", bridge.identifier.priority),
            format!(
                "the access switch {name} is the root bridge, while {other} is nearer to the core"
            ),
        )
        .related(bridge_place(cx, better), format!("{other} has {}", of.identifier.priority))
        .wire(match idle(cx, id) {
            Some(port) => format!(
                "frames between other switches go by way of {name}, while {} discards",
                port_name(cx, port)
            ),
            None => format!("frames between other switches go by way of {name}"),
        })
        .remedy(format!("give {other} a lower priority than {name}"))
        .about(device)
        .about(of.devices[0]);
    }
}

/// A port between other bridges that discards in a tree of this root.
fn idle(cx: &Context<'_>, root: BridgeId) -> Option<BridgePortId> {
    let trees = cx.state.trees();
    let found = trees.ports().find(|&(port, of)| {
        let other = trees.neighbours(port).any(|far| trees.port(far).bridge != root);
        other
            && trees.holding(of.bridge).any(|tree| {
                let led = tree.bridges[of.bridge].is_some_and(|case| case.root == root);
                led && trees.in_tree(tree, port).is_some_and(|(role, _)| role.discards())
            })
    });
    found.map(|(port, _)| port)
}
