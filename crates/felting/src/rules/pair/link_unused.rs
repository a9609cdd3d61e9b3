use rustc_hash::FxHashSet;

use crate::behaviour::{Aspect, BridgePortId, Carrier, Entity, PortRole};
use crate::diagnostic::Span;
use crate::rules::tree::{place, port_name};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-link-unused",
        severity: Severity::Warning,
        summary: "a link between the sides of a pair that is neither its peer link nor its data link",
        explain: "To the spanning tree a pair is one bridge. A further bridged link between its sides leads that \
              bridge back to itself: one end is a backup port and discards for ever, whichever bridge is \
              root. As a data link it would carry frames beside the peer link.",
        sources: &["IEEE 802.1Q clause 13.10 (backup port)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-4] 100G"

[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[1-2]"
tagged = "310-311"

[[lag]]
on = "kelp-*"
name = "beside"
ports = "p[3-4]"
tagged = "310-311"

[cabling]
runs = "kelp-a p[1-4] -- kelp-b p[1-4]"
"#,
        mend: &[("peer_link = \"peer\"", "peer_link = \"peer\"\ndata_link = \"beside\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let trees = cx.state.trees();
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (port, of) in trees.ports() {
        let device = trees.bridge(of.bridge).devices[0];
        let pair = cx.fabric.device(device).pair.map(|(pair, _)| cx.fabric.pair(pair));
        let backup = trees.holding(of.bridge).any(|tree| {
            trees.in_tree(tree, port).is_some_and(|(role, _)| role == PortRole::Backup)
        });
        let own = |other: BridgePortId| trees.port(other).bridge == of.bridge;
        // Without a peer link the two are no bridge.
        let claimed = cx.state.causes().claimed(Entity::Device(device), Aspect::Tree).is_some();
        let Some(pair) = pair.filter(|_| backup && !claimed) else { continue };
        let Some(other) = trees.neighbours(port).find(|&other| own(other)) else { continue };
        if !said.insert(place(cx, other)) {
            continue;
        }
        let (name, far) = (port_name(cx, port), port_name(cx, other));
        let remedy = match of.carrier {
            Carrier::Lag(lag) => format!(
                "name it as `data_link` of the pair ({:?}), or put its ports into the peer link, or take it out",
                cx.fabric.lag(lag).name.value
            ),
            _ => "put its ports into the peer link, or take it out".to_owned(),
        };
        out.report(
            place(cx, other),
            format!("{far} leads to {name}"),
            format!(
                "{far} and {name} join the sides of the pair {} beside its peer link, and carry nothing",
                pair.name.value
            ),
        )
        .related(pair.name.span, "one bridge to the spanning tree")
        .wire(format!("{name} discards for ever: the pair, one bridge to the tree, hears itself there"))
        .remedy(remedy)
        .about(pair.sides[0].switch.value)
        .about(pair.sides[1].switch.value);
    }
}
