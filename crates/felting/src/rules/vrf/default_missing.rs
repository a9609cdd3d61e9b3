use super::on_vteps;
use crate::behavior::evpn::tenant::irb;
use crate::fabric::{DeviceId, Fabric, VrfId};
use crate::rules::{Context, Findings, Rule, Severity};
use crate::value::Irb;

pub(super) static RULE: Rule = Rule {
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
        let works =
            outside.on.iter().any(|switch| vrf.switches.iter().any(|at| at.switch == *switch));
        let rt_told = |switch: DeviceId| {
            let at = vrf.switches.iter().find(|at| at.switch == switch);
            at.is_none_or(|at| {
                at.import.as_ref().is_some_and(|all| !all.is_empty()) || at.vni.is_none()
            })
        };
        let lacking: Vec<DeviceId> = on_vteps(fabric, id)
            .map(|(_, at)| at.switch)
            .filter(|&switch| works && !rt_told(switch) && irb_of(fabric, id, switch))
            .filter(|&switch| {
                !cx.state
                    .tenant_routes(fabric, id, switch)
                    .iter()
                    .any(|route| route.prefix.is_default())
            })
            .filter(|&switch| {
                outside.on.iter().any(|&border| cx.state.arrives(fabric, switch, border).is_ok())
            })
            .collect();
        let Some(&first) = lacking.first() else { continue };
        let names: Vec<&str> = lacking.iter().map(|&switch| fabric.device_name(switch)).collect();
        let names = crate::rules::some_of(&names);
        out.report(
            vrf.name.span,
            format!("no default route on {names}"),
            format!(
                "the VRF {} has a default route at {}, but {names} does not get it",
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

/// Whether a VRF on a switch takes type 5 routes at all.
fn irb_of(fabric: &Fabric, vrf: VrfId, switch: DeviceId) -> bool {
    let at = fabric.vrf(vrf).switches.iter().find(|at| at.switch == switch);
    at.and_then(|at| irb(fabric, at)) == Some(Irb::Symmetric)
}
