use crate::diagnostic::At;
use crate::fabric::{DeviceId, VrfId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-border-missing",
        severity: Severity::Error,
        summary: "a switch leads out of the fabric for a VRF that it does not have",
        explain: "A border leaf takes the routes of the outside into a VRF and tells them to the \
              others. Without the VRF there it leads nowhere.",
        sources: &["RFC 4364 section 7"],
        broken: concat!(
            part!(fabric),
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-a"
"#,
            r#"
[[outside]]
name = "campus"
vrf = "tides"
on = "kelp-b"
prefixes = "0.0.0.0/0"
"#
        ),
        mend: &[("vni = 27001\non = \"kelp-a\"", "vni = 27001\non = \"kelp-*\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, leak) in fabric.leaks() {
        let lacks = |vrf: &At<VrfId>, switch: DeviceId| {
            fabric.vrf(vrf.value).place_of(switch).is_none().then_some((switch, *vrf))
        };
        let on = leak.on.iter().flatten();
        let missing = on
            .copied()
            .find_map(|switch| lacks(&leak.from, switch).or_else(|| lacks(&leak.to, switch)));
        let Some((switch, vrf)) = missing else { continue };
        let (name, vrf_name) = (fabric.device_name(switch), &fabric.vrf(vrf.value).name);
        out.report(
            vrf.span,
            format!("not on {name}"),
            format!("{name} is to leak between VRFs, but does not have {}", vrf_name.value),
        )
        .related(vrf_name.span, format!("{} is on other switches", vrf_name.value))
        .wire("no route is passed on there, however the leak is declared".to_owned())
        .remedy(format!("put the VRF {} on {name}, or take {name} out of the leak", vrf_name.value))
        .about(switch)
        .about_name(&vrf_name.value);
    }
    for (_, outside) in fabric.outsides() {
        let vrf = fabric.vrf(outside.vrf.value);
        let lacking: Vec<DeviceId> =
            outside.on.iter().copied().filter(|switch| vrf.place_of(*switch).is_none()).collect();
        let Some(&first) = lacking.first() else { continue };
        let names: Vec<&str> = lacking.iter().map(|&switch| fabric.device_name(switch)).collect();
        let names = crate::diagnostic::some_of(&names);
        let draft = out
            .report(
                outside.name.span,
                format!("by {names}"),
                format!(
                    "{names} leads to {} for the VRF {}, but does not have it",
                    outside.name.value, vrf.name.value
                ),
            )
            .related(vrf.name.span, format!("{} is on other switches", vrf.name.value))
            .wire(format!(
                "nothing of {} gets to {} by {names}",
                vrf.name.value, outside.name.value
            ))
            .remedy(format!("put the VRF {} on {names}", vrf.name.value))
            .about(first)
            .about_name(&vrf.name.value);
        lacking[1..].iter().fold(draft, |draft, &switch| draft.about(switch));
    }
}
