use super::uplinks;
use crate::fabric::InterfacePlace;
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
    for (_, router) in fabric.routers() {
        let Some(most) = router.max_paths else { continue };
        let up = uplinks(fabric, router.device);
        let used = up.iter().filter(|(port, _)| {
            router
                .interfaces
                .iter()
                .any(|id| fabric.interface(id).place == InterfacePlace::Port(*port))
        });
        let paths = used.count();
        if paths <= usize::from(most.value) {
            continue;
        }
        let name = fabric.device_name(router.device);
        out.report(
            most.span,
            format!("at most {}", most.value),
            format!("{name} uses {} of its {paths} equal paths", most.value),
        )
        .related(
            fabric.device(router.device).name.span,
            format!("{name} has {paths} links to switches above it"),
        )
        .wire(format!(
            "{} of {paths} uplinks carry nothing that {name} sends",
            paths - usize::from(most.value)
        ))
        .remedy(format!("allow {paths} paths"))
        .about(router.device);
    }
}
