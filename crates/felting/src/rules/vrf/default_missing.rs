use super::on_vteps;
use crate::behaviour::Instance;
use crate::behaviour::gateway::irb;
use crate::fabric::{DeviceId, VrfPresence};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Irb;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-default-missing",
        severity: Severity::Warning,
        summary: "some leaves of a VRF do not get its default route",
        explain: "One switch of the VRF has a default route, another has none: hosts there reach \
              what the fabric knows, and nothing beyond.",
        sources: &["RFC 9136 section 5", "RFC 4364 section 7"],
        broken: concat!(
            part!(fabric),
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"
differs = [{ on = "kelp-b", import_targets = [] }]
"#,
            r#"
[[outside]]
name = "campus"
vrf = "tides"
on = "kelp-a"
prefixes = "0.0.0.0/0"
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", import_targets = [] }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, vrf) in fabric.vrfs() {
        // Only a VRF that some switch leads out for can lack it elsewhere.
        let led = fabric.outsides().find(|(_, outside)| {
            outside.vrf.value == id && outside.prefixes.iter().any(|p| p.is_default())
        });
        let Some((_, outside)) = led else { continue };
        let all: Vec<_> = on_vteps(fabric, id)
            .filter(|(_, at)| irb(fabric, at) == Some(Irb::Symmetric) && at.vni.is_some())
            .filter_map(|(place, at)| Some((at, cx.state.evpn().tenant(id, place)?)))
            .collect();
        let borders: Vec<_> =
            all.iter().filter(|(at, _)| outside.on.contains(&at.switch)).collect();
        // Targets that were written, and are wrong, are told as that.
        let told = |at: &VrfPresence| at.import.as_ref().is_some_and(|all| !all.is_empty());
        let lacking: Vec<DeviceId> = all
            .iter()
            .filter(|(at, own)| {
                let brings = |(border, theirs): &&&(&VrfPresence, &Instance)| {
                    border.switch == at.switch || own.imports(&theirs.export)
                };
                let reached =
                    |border: &VrfPresence| cx.state.arrives(at.switch, border.switch).is_ok();
                !told(at)
                    && !derives_otherwise(cx, at.switch)
                    && !borders.iter().any(|border| brings(&border))
                    && borders.iter().any(|(border, _)| reached(border))
            })
            .map(|(at, _)| at.switch)
            .collect();
        let Some(&first) = lacking.first() else { continue };
        let names: Vec<&str> = lacking.iter().map(|&switch| fabric.device_name(switch)).collect();
        let do_not = if names.len() == 1 { "does not" } else { "do not" };
        let names = crate::diagnostic::some_of(&names);
        out.report(
            vrf.name.span,
            format!("no default route on {names}"),
            format!(
                "the VRF {} has a default route at {}, but {names} {do_not} get it",
                vrf.name.value, outside.name.value
            ),
        )
        .related(outside.name.span, "the default route is from here")
        .wire(format!("hosts of {} at {names} reach nothing outside the fabric", vrf.name.value))
        .remedy(
            "see `felting sheet evpn-routes` for what is imported there, and why not".to_owned(),
        )
        .about(first)
        .about_name(&vrf.name.value);
    }
}

/// Whether it is told that a VTEP derives other targets than others, of whatever VNI.
fn derives_otherwise(cx: &Context<'_>, switch: DeviceId) -> bool {
    let name = &cx.fabric.device(switch).name.value;
    cx.found().any(|finding| {
        finding.rule.id == "overlay-rt-auto-across-as" && finding.about.contains(name)
    })
}
