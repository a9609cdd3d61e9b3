use std::collections::{BTreeMap, BTreeSet};

use super::{tier, uplinks};
use crate::fabric::DeviceId;
use crate::rules::cable::is_misplugged;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-leaf-partial",
        severity: Severity::Warning,
        summary: "a leaf is not cabled to every spine",
        explain: "In a leaf-spine fabric each leaf reaches each other leaf by every spine. A leaf \
              that lacks one has less bandwidth than the others, and what a spine has for it \
              takes a way round by another leaf, or none.",
        sources: &["RFC 7938 section 3.2"],
        broken: r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "p[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = ["p[1-48] 25G", "p[49-52] 100G"]

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[underlay]]
on = ["crest-*", "kelp-*"]

[cabling]
runs = ["kelp-a p[49-50] -- crest-[1-2] p1", "kelp-b p49 -- crest-1 p2"]
"#,
        mend: &[("kelp-b p49 -- crest-1 p2", "kelp-b p[49-50] -- crest-[1-2] p2")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut above: BTreeMap<DeviceId, BTreeSet<DeviceId>> = BTreeMap::new();
    for (_, router) in fabric.routers().filter(|(_, router)| tier(fabric, router.device) == Some(1))
    {
        let spines = uplinks(fabric, router.device).into_iter().map(|(_, spine)| spine).collect();
        above.insert(router.device, spines);
    }
    // In a fabric of several pods each has its own spines: those that any of its leaves has.
    let mut pods: Vec<(BTreeSet<DeviceId>, Vec<DeviceId>)> = Vec::new();
    let twin = |leaf: DeviceId| {
        let (pair, side) = fabric.device(leaf).pair?;
        Some(fabric.pair(pair).sides[1 - side].switch.value)
    };
    for (&leaf, spines) in &above {
        // A side of a pair that has lost all of its own is where the other side is.
        let spines = match spines.is_empty() {
            true => twin(leaf).and_then(|twin| above.get(&twin)).unwrap_or(spines),
            false => spines,
        };
        if spines.is_empty() {
            continue;
        }
        let (mut all, mut leaves) = (spines.clone(), vec![leaf]);
        pods.retain_mut(|(known, members)| {
            // A cable that strays into another pod does not make one of the two.
            let shared = known.intersection(&all).count();
            let joined = shared > 0 && shared * 2 >= known.len().min(all.len());
            if joined {
                all.append(known);
                leaves.append(members);
            }
            !joined
        });
        pods.push((all, leaves));
    }
    for (spines, mut leaves) in pods {
        leaves.sort_unstable();
        // Where one leaf alone has a spine, it is that leaf which strays.
        let usual = |spine: &&DeviceId| {
            leaves.len() < 3 || leaves.iter().filter(|leaf| above[leaf].contains(spine)).count() > 1
        };
        let spines: BTreeSet<DeviceId> = spines.iter().filter(usual).copied().collect();
        for leaf in leaves {
            if is_misplugged(cx, leaf) {
                continue;
            }
            let lacking: Vec<DeviceId> = spines.difference(&above[&leaf]).copied().collect();
            let Some(&first) = lacking.first() else { continue };
            let names: Vec<&str> = lacking.iter().map(|&spine| fabric.device_name(spine)).collect();
            let (name, names) = (fabric.device_name(leaf), crate::diagnostic::some_of(&names));
            let mut draft = out
                .report(
                    fabric.device(leaf).name.span,
                    format!("{name} has no cable to {names}"),
                    format!("{name} is not cabled to {names}, as other leaves are"),
                )
                .related(
                    fabric.device(first).name.span,
                    format!("{} has cables to other leaves", fabric.device_name(first)),
                )
                .wire(match &uplinks(fabric, leaf)[..] {
                    [] if reaches(cx, leaf, first) => {
                        format!("{name} has no way out of its own: all that it sends goes by another leaf")
                    }
                    [] => format!("{name} has no way out: it has no route to any spine"),
                    _ => format!(
                        "{name} has fewer ways out than its neighbours, and none is left sooner \
                         when spines fail"
                    ),
                })
                .remedy(format!("cable {name} to {names}"))
                .about(leaf);
            // One that lacks a spine of its pod mostly has a cable to another.
            if let Some((cable, _)) =
                uplinks(fabric, leaf).first().and_then(|&(port, _)| fabric.link(port))
            {
                let place = fabric.cable(cable).span.0;
                draft = draft.related(place, format!("{name} is cabled to spines here"));
            }
            // With one spine left, that is the one to lose.
            if let [last] = above[&leaf].iter().copied().collect::<Vec<_>>()[..] {
                draft = draft.when_lost(fabric.device_name(last));
            }
            for spine in lacking {
                draft = draft.about(spine);
            }
        }
    }
}

/// Whether a switch has a route to the loopback of another.
fn reaches(cx: &Context<'_>, from: DeviceId, to: DeviceId) -> bool {
    let loopback = cx.fabric.router_of(to).and_then(|router| router.loopbacks.first());
    cx.fabric
        .device(from)
        .router
        .zip(loopback)
        .is_some_and(|(router, loopback)| cx.state.delivers(router, loopback.address()).is_ok())
}
