use rustc_hash::FxHashSet;

use super::on_vteps;
use crate::diagnostic::Span;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-rt-clash",
        severity: Severity::Error,
        summary: "a VRF exports a target on one switch that the others do not import",
        explain: "The IP prefixes of a VRF, and the hosts in it, are taken in by their route target. \
              A switch with other targets than the rest is alone with the VRF.",
        sources: &["RFC 4364 section 4.3.1", "RFC 9136 section 5"],
        broken: concat!(
            part!(fabric),
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"
differs = [{ on = "kelp-b", targets = "42041:27999" }]
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", targets = \"42041:27999\" }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (id, vrf) in fabric.vrfs() {
        let all: Vec<_> = on_vteps(fabric, id)
            .filter_map(|(place, at)| Some((at, cx.state.evpn().tenant(id, place)?)))
            .collect();
        for (at, own) in &all {
            let others = || all.iter().filter(|(other, _)| other.switch != at.switch);
            let deaf =
                own.import.is_empty() || others().any(|(_, theirs)| own.imports(&theirs.export));
            let mute =
                own.export.is_empty() || others().any(|(_, theirs)| theirs.imports(&own.export));
            let written = at.import.iter().chain(&at.export).flatten().next();
            let (Some((_, usual)), Some(written)) = (others().next(), written) else { continue };
            if (deaf && mute) || !said.insert(written.span) {
                continue;
            }
            let name = fabric.device_name(at.switch);
            let theirs =
                usual.export.first().map_or_else(|| "none".to_owned(), ToString::to_string);
            let what = if mute { "imports" } else { "exports" };
            out.report(
                written.span,
                format!("{name} {what} {}", written.value),
                format!(
                    "the VRF {} {what} {} on {name}, and {theirs} on others",
                    vrf.name.value, written.value
                ),
            )
            .related(vrf.name.span, format!("{theirs} on the others"))
            .wire(format!(
                "{name} and the others don\u{2019}t take each other\u{2019}s routes: {} \
                 ends at {name}",
                vrf.name.value
            ))
            .remedy(format!("use {theirs} on {name} too"))
            .about(at.switch)
            .about_name(&vrf.name.value);
        }
    }
}
