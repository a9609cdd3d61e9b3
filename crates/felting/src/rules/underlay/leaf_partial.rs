use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet};

use super::{tier, uplinks};
use crate::fabric::{DeviceId, PortId};
use crate::rules::cable::is_misplugged;
use crate::rules::{Check, Context, Draft, Findings, Rule, Severity};

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
    let twin = |leaf: DeviceId| {
        let (pair, side) = fabric.device(leaf).pair?;
        Some(fabric.pair(pair).sides[1 - side].switch.value)
    };
    // Leaves with the same spines are of one pod, those with most leaves first.
    let mut alike: BTreeMap<&BTreeSet<DeviceId>, Vec<DeviceId>> = BTreeMap::new();
    for (&leaf, spines) in &above {
        // A side of a pair that has lost all of its own is where the other side is.
        let spines = match spines.is_empty() {
            true => twin(leaf).and_then(|twin| above.get(&twin)).unwrap_or(spines),
            false => spines,
        };
        if !spines.is_empty() {
            alike.entry(spines).or_default().push(leaf);
        }
    }
    let mut alike: Vec<(&BTreeSet<DeviceId>, Vec<DeviceId>)> = alike.into_iter().collect();
    alike.sort_by_key(|(spines, leaves)| Reverse((leaves.len(), spines.len())));
    // In a fabric of several pods each has its own spines. Leaves whose spines no pod has make one; what strays makes no
    // one of two pods: it is of the one that it has most of, or that its twin is of.
    let mut pods: Vec<(BTreeSet<DeviceId>, Vec<DeviceId>)> = Vec::new();
    let mut strays = Vec::new();
    for (spines, leaves) in alike {
        match pods.iter().all(|(known, _)| known.is_disjoint(spines)) {
            true => pods.push((spines.clone(), leaves)),
            false => strays.push((spines, leaves)),
        }
    }
    let owned: BTreeSet<DeviceId> =
        pods.iter().flat_map(|(known, _)| known.iter().copied()).collect();
    for (spines, leaves) in strays {
        let twins: Vec<DeviceId> = leaves.iter().filter_map(|&leaf| twin(leaf)).collect();
        let near = |(known, members): &(BTreeSet<DeviceId>, Vec<DeviceId>)| {
            let with_twin = twins.iter().any(|twin| members.contains(twin));
            (known.intersection(spines).count(), with_twin)
        };
        if let Some((known, members)) = pods.iter_mut().rev().max_by_key(|pod| near(pod)) {
            known.extend(spines.difference(&owned));
            members.extend(leaves);
        }
    }
    for (spines, mut leaves) in pods {
        leaves.sort_unstable();
        // Where one leaf alone has a spine, it is that leaf which strays.
        let usual = |spine: &&DeviceId| {
            leaves.len() < 3 || leaves.iter().filter(|leaf| above[leaf].contains(spine)).count() > 1
        };
        let spines: BTreeSet<DeviceId> = spines.iter().filter(usual).copied().collect();
        let swapped = exchanged(cx, &spines, &leaves, &above);
        for (ends, lacks) in &swapped {
            report_exchanged(cx, *ends, *lacks, out);
        }
        let is_swapped = |leaf: DeviceId| swapped.iter().any(|(ends, _)| ends.contains(&leaf));
        for leaf in leaves {
            if is_misplugged(cx, leaf) || is_swapped(leaf) {
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

/// Two leaves that each lack one spine, which the other has two cables to: each with the spine that it lacks.
fn exchanged(
    cx: &Context<'_>,
    spines: &BTreeSet<DeviceId>,
    leaves: &[DeviceId],
    above: &BTreeMap<DeviceId, BTreeSet<DeviceId>>,
) -> Vec<([DeviceId; 2], [DeviceId; 2])> {
    let lacks = |leaf: &DeviceId| {
        let mut lacking = spines.difference(&above[leaf]).copied();
        let one = lacking.next()?;
        (lacking.next().is_none() && !is_misplugged(cx, *leaf)).then_some((*leaf, one))
    };
    let doubled = |leaf: DeviceId, spine: DeviceId| {
        uplinks(cx.fabric, leaf).iter().filter(|&&(_, to)| to == spine).count() > 1
    };
    let lacking: Vec<(DeviceId, DeviceId)> = leaves.iter().filter_map(lacks).collect();
    let mut found: Vec<([DeviceId; 2], [DeviceId; 2])> = Vec::new();
    for (at, &(one, lacks)) in lacking.iter().enumerate() {
        let other = lacking[at + 1..].iter().find(|&&(other, theirs)| {
            lacks != theirs
                && doubled(one, theirs)
                && doubled(other, lacks)
                && !found.iter().any(|(ends, _)| ends.contains(&one) || ends.contains(&other))
        });
        if let Some(&(other, theirs)) = other {
            found.push(([one, other], [lacks, theirs]));
        }
    }
    found
}

fn report_exchanged(
    cx: &Context<'_>,
    leaves: [DeviceId; 2],
    lacks: [DeviceId; 2],
    out: &mut Findings<'_>,
) {
    let fabric = cx.fabric;
    let others = uplinks(fabric, leaves[0]).iter().any(|&(_, spine)| spine != lacks[1]);
    let name = |device: DeviceId| fabric.device_name(device);
    let second = |leaf: DeviceId, spine: DeviceId| {
        uplinks(fabric, leaf)
            .into_iter()
            .filter(|&(_, to)| to == spine)
            .nth(1)
            .map(|(port, _)| port)
    };
    let ports = [second(leaves[0], lacks[1]), second(leaves[1], lacks[0])];
    let place = |port: Option<PortId>, leaf: DeviceId| {
        let cable = port.and_then(|port| fabric.link(port));
        cable.map_or(fabric.device(leaf).name.span, |(cable, _)| fabric.cable(cable).span.0)
    };
    let label = |port: Option<PortId>, leaf: DeviceId| {
        port.map_or_else(|| name(leaf).to_owned(), |port| fabric.port_label(port))
    };
    let (one, other) = (label(ports[0], leaves[0]), label(ports[1], leaves[1]));
    let draft = out
        .report(
            place(ports[0], leaves[0]),
            format!("{one} leads to {}", name(lacks[1])),
            format!(
                "{} has two cables to {} and none to {}, {} two to {} and none to {}",
                name(leaves[0]),
                name(lacks[1]),
                name(lacks[0]),
                name(leaves[1]),
                name(lacks[0]),
                name(lacks[1])
            ),
        )
        .related(place(ports[1], leaves[1]), format!("{other} leads to {}", name(lacks[0])))
        .wire(match others {
            false => format!(
                "{} is the only spine of {}, and {} that of {}",
                name(lacks[1]),
                name(leaves[0]),
                name(lacks[0]),
                name(leaves[1])
            ),
            true => "each of the two has one spine fewer to go by than its neighbours".to_owned(),
        })
        .remedy(format!("exchange the cables in {one} and {other}"));
    let draft = leaves.into_iter().chain(lacks).fold(draft, Draft::about);
    // Which of the two is lost makes no difference in kind.
    draft.when_lost(name(lacks[1]));
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
