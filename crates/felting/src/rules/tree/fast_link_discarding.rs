use super::{bridge_name, place, port_name};
use crate::behaviour::{Aspect, Entity};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tree-fast-link-discarding",
        severity: Severity::Warning,
        summary: "a faster link discards while a slower one forwards",
        explain: "A bridge keeps one way to the root and closes the others. Which one is decided by the sum of the \
              path costs. Where a cost is set by hand, follows from another table, or the root stands \
              in a corner, the slow link wins and the fast one is idle.",
        sources: &["IEEE 802.1Q table 13-4", "IEEE 802.1Q clause 13.11"],
        broken: r#"
[[switch]]
name = "jetty"
ports = ["p1 10G", "p2 1G"]

[[switch]]
name = "mud-1"
ports = ["p1 10G", "p2 1G"]

[[tree]]
on = "jetty"
priority = 4096

[[port]]
on = "*"
ports = "p1"
untagged = 420

[[port]]
on = "*"
ports = "p2"
untagged = 420
tree_cost = 100

[cabling]
runs = "jetty p[1-2] -- mud-1 p[1-2]"
"#,
        mend: &[("tree_cost = 100\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let trees = cx.state.trees();
    for (port, of) in trees.ports() {
        let device = trees.bridge(of.bridge).devices[0];
        let looped = cx.state.causes().claimed(Entity::Device(device), Aspect::Tree).is_some();
        // A port that discards in several trees is told once.
        let slower = trees.holding(of.bridge).filter(|_| !looped).find_map(|tree| {
            trees.in_tree(tree, port).filter(|(role, _)| role.discards())?;
            let used = tree.bridges[of.bridge]?.root_port?;
            let (fast, slow) = (of.bandwidth?, trees.port(used).bandwidth?);
            (fast > slow).then_some((used, fast, slow))
        });
        let Some((used, fast, slow)) = slower else { continue };
        let name = bridge_name(cx, of.bridge);
        let (idle, busy) = (port_name(cx, port), port_name(cx, used));
        out.report(
            place(cx, port),
            format!("{idle} ({fast}) discards"),
            format!("{name} reaches the root by {busy} ({slow}), while {idle} ({fast}) discards"),
        )
        .related(place(cx, used), format!("{busy} ({slow}) forwards"))
        .wire(format!("{name} has {slow} to the root instead of {fast}"))
        .remedy("let path costs follow from the speed everywhere, by one table, and put the root in the core")
        .about(device);
    }
}
