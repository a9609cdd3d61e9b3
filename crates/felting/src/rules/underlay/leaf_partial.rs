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
    for (&leaf, spines) in &above {
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
            // One that lacks a spine of its pod has a cable to another.
            let cabled = uplinks(fabric, leaf).first().and_then(|&(port, _)| fabric.link(port));
            let cabled = cabled
                .map_or(fabric.device(leaf).name.span, |(cable, _)| fabric.cable(cable).span.0);
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
                .related(cabled, format!("{name} is cabled to spines here"))
                .wire(format!(
                    "{name} has fewer ways out than its neighbours, and none is left sooner \
                     when spines fail"
                ))
                .remedy(format!("cable {name} to {names}"))
                .about(leaf);
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
