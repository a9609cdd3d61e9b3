use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-rt-no-importer",
        severity: Severity::Error,
        summary: "what a VTEP exports for a segment no other imports",
        explain: "A VTEP takes a route into a segment by its target. If no other VTEP of the segment \
              imports the one that this VTEP exports, all of them flood to each other and not to \
              this one, and none learns where its hosts are.",
        sources: &["RFC 4364 section 4.3.1", "RFC 7432 section 7.10"],
        broken: concat!(
            part!(fabric),
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
differs = [{ on = "kelp-b", export_targets = "42041:23999" }]
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", export_targets = \"42041:23999\" }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, segment) in fabric.segments() {
        let instances =
            segment.presences.iter().filter_map(|id| Some((id, cx.state.evpn().instance(id)?)));
        let instances: Vec<_> = instances.collect();
        for &(id, own) in &instances {
            if instances.len() < 2 || own.import.is_empty() || own.export.is_empty() {
                continue;
            }
            let presence = fabric.presence(id);
            let others = || instances.iter().filter(|(other, _)| *other != id);
            let settings = fabric.settings_at(id);
            // Whatever is written for both is told once, as an import.
            let both = settings.import.as_ref().and_then(|all| all.first()).map(|first| first.span)
                == settings.export.as_ref().and_then(|all| all.first()).map(|first| first.span);
            if both || others().any(|(_, theirs)| theirs.imports(&own.export)) {
                continue;
            }
            let Some(written) = settings.export.as_ref().and_then(|all| all.first()) else {
                continue;
            };
            let usual = others().map(|(_, theirs)| theirs).next();
            let Some(usual) = usual.and_then(|theirs| theirs.import.first()) else { continue };
            let name = fabric.device_name(presence.switch);
            out.report(
                written.span,
                format!("{name} exports {}", written.value),
                format!(
                    "{name} exports {} for {}, which no other VTEP of it imports",
                    written.value, segment.name.value
                ),
            )
            .related(segment.name.span, format!("the others import {usual}"))
            .wire(format!(
                "no other VTEP floods frames of {} to {name}, or learns where its hosts are",
                segment.name.value
            ))
            .remedy(format!("export {usual} on {name}"))
            .about(presence.switch)
            .about_name(&segment.name.value);
        }
    }
}
