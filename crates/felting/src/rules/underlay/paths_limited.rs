use std::collections::BTreeMap;

use super::uplinks;
use crate::diagnostic::{Span, some_of};
use crate::fabric::{DeviceId, InterfacePlace};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-paths-limited",
        severity: Severity::Warning,
        summary: "a router uses fewer equal paths than are cabled",
        explain: "A router spreads packets over at most so many equal paths. Cables beyond that \
              carry nothing until another fails.",
        sources: &["RFC 2992 section 1"],
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

[[router]]
on = "kelp-b"
max_paths = 1

[cabling]
runs = ["kelp-a p[49-50] -- crest-[1-2] p1", "kelp-b p[49-50] -- crest-[1-2] p2"]
"#,
        mend: &[("max_paths = 1", "max_paths = 2")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // One line may limit many.
    let mut limited: BTreeMap<Span, (Vec<(DeviceId, usize)>, u16)> = BTreeMap::new();
    for (_, router) in fabric.routers() {
        let Some(most) = router.max_paths else { continue };
        let up = uplinks(fabric, router.device);
        let used = up.iter().filter(|(port, _)| {
            fabric.interfaces_at(router, InterfacePlace::Port(*port)).next().is_some()
        });
        let paths = used.count();
        if paths > usize::from(most.value) {
            let of_line = limited.entry(most.span).or_insert((Vec::new(), most.value));
            of_line.0.push((router.device, paths));
        }
    }
    for (span, (routers, most)) in limited {
        let (first, paths) = routers[0];
        let name = fabric.device_name(first);
        let names: Vec<&str> = routers.iter().map(|&(id, _)| fabric.device_name(id)).collect();
        let largest = routers.iter().map(|&(_, paths)| paths).max().unwrap_or(paths);
        let draft = out
            .report(
                span,
                format!("at most {most}"),
                match routers.len() {
                    1 => format!("{name} uses {most} of its {paths} equal paths"),
                    _ => format!("{} use {most} of their equal paths", some_of(&names)),
                },
            )
            .related(
                fabric.device(first).name.span,
                format!("{name} has {paths} links to switches above it"),
            )
            .wire(format!(
                "{} of {paths} uplinks carry nothing that {name} sends",
                paths - usize::from(most)
            ))
            .remedy(format!("allow {largest} paths"));
        routers.iter().fold(draft, |draft, &(id, _)| draft.about(id));
    }
}
