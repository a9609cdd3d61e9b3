use super::{bridge_name, place, port_name};
use crate::behaviour::{BridgeId, Carrier, Loop};
use crate::fabric::LagId;
use crate::rules::lag::TELLS_OF_LOOPS;
use crate::rules::{Check, Context, Findings, Rule, Severity, some_of};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tree-loop",
        severity: Severity::Error,
        summary: "frames find a loop that no spanning tree opens",
        explain: "Bridges flood what they do not know to every port that forwards. Where they make a ring and the \
              spanning tree is off on one of them (it then swallows the others\u{2019} BPDUs too), a broadcast goes \
              round for ever, once more with each turn, until links and switches are full.",
        sources: &["IEEE 802.1Q clause 13.4", "IEEE 802.1Q clause 8.6.3"],
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

[[tree]]
on = "jetty"
priority = 4096
[[tree]]
on = "mud-*"
mode = "off"

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
        mend: &[("mode = \"off\"", "mode = \"rstp\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let (fabric, trees) = (cx.fabric, cx.state.trees());
    for found in trees.loops() {
        if of_members_alone(cx, found) {
            continue;
        }
        let mut bridges: Vec<BridgeId> = Vec::new();
        for &port in &found.ports {
            let bridge = trees.port(port).bridge;
            if !bridges.contains(&bridge) {
                bridges.push(bridge);
            }
        }
        bridges.sort_unstable();
        let Some((&first, others)) = found.ports.split_first() else { continue };
        let names: Vec<_> = bridges.iter().map(|&bridge| bridge_name(cx, bridge)).collect();
        let shown: Vec<_> = names.iter().map(String::as_str).collect();
        let off = found.ports.iter().copied().find(|&port| !trees.port(port).runs);
        let at = off.unwrap_or(first);
        let settings =
            trees.bridge(trees.port(at).bridge).settings.map(|tree| fabric.tree_setting(tree));
        let mode = settings.filter(|settings| settings.mode.value == crate::value::TreeMode::Off);
        let message = match bridges.len() {
            1 => format!("{} makes a loop of itself", names[0]),
            _ => format!("{} make a loop", some_of(&shown)),
        };
        let mut draft = out.report(
            mode.map_or_else(|| place(cx, at), |settings| settings.mode.span),
            format!("no tree on {}", port_name(cx, at)),
            format!("{message} for VLAN {}, which no spanning tree opens", found.vlans),
        );
        for &port in others.iter().step_by(2).take(4) {
            draft = draft.related(place(cx, port), format!("by {}", port_name(cx, port)));
        }
        draft = draft
            .wire(format!(
                "a broadcast in VLAN {} goes round for ever and fills the links",
                found.vlans
            ))
            .remedy("run a spanning tree on all bridges of the ring, or take a link out");
        for &bridge in &bridges {
            draft = draft.about(trees.bridge(bridge).devices[0]);
        }
    }
}

/// Whether it is a loop of members of one LAG that work for themselves, as the LAG doesn't form: that is told there.
fn of_members_alone(cx: &Context<'_>, found: &Loop) -> bool {
    let alone = found.ports.iter().filter_map(|&port| {
        let Carrier::Port(physical) = cx.state.trees().port(port).carrier else { return None };
        let member = cx.fabric.member_of(physical)?;
        let rule = cx.state.causes().get(cx.state.member(member).cause?).rule;
        TELLS_OF_LOOPS.contains(&rule).then(|| cx.fabric.member(member).lag)
    });
    let lags: Vec<LagId> = alone.collect();
    lags.iter().enumerate().any(|(at, lag)| lags[..at].contains(lag))
}
