use std::collections::BTreeMap;

use crate::diagnostic::{Span, some_of};
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

/// What needs a VRF on a switch that lacks it.
struct Need {
    vrf: VrfId,
    place: Span,
    switches: Vec<DeviceId>,
    /// "leads to the campus", "is to leak".
    what: String,
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let lacking = |vrf: VrfId, on: &[DeviceId]| -> Vec<DeviceId> {
        let lacks = |switch: &DeviceId| fabric.vrf(vrf).place_of(*switch).is_none();
        on.iter().copied().filter(lacks).collect()
    };
    let name = |vrf: VrfId| &fabric.vrf(vrf).name.value;
    let mut needs: Vec<Need> = Vec::new();
    for (_, outside) in fabric.outsides() {
        let vrf = outside.vrf.value;
        let what = format!("lead to {}", outside.name.value);
        needs.push(Need {
            vrf,
            place: outside.name.span,
            switches: lacking(vrf, &outside.on),
            what,
        });
    }
    for (_, leak) in fabric.leaks() {
        for (vrf, what) in [
            (leak.from, format!("leak to {}", name(leak.to.value))),
            (leak.to, format!("leak from {}", name(leak.from.value))),
        ] {
            let on = leak.on.as_deref().unwrap_or_default();
            let switches = lacking(vrf.value, on);
            needs.push(Need { vrf: vrf.value, place: vrf.span, switches, what });
        }
    }
    // A VRF that switches lack is one thing to mend, whatever needs it there.
    let mut of_vrf: BTreeMap<(VrfId, Vec<DeviceId>), Vec<Need>> = BTreeMap::new();
    for need in needs.into_iter().filter(|need| !need.switches.is_empty()) {
        of_vrf.entry((need.vrf, need.switches.clone())).or_default().push(need);
    }
    for ((vrf, switches), needs) in of_vrf {
        let vrf = fabric.vrf(vrf);
        let names: Vec<&str> = switches.iter().map(|&switch| fabric.device_name(switch)).collect();
        let (who, is) = (some_of(&names), if names.len() == 1 { "is" } else { "are" });
        let does = if names.len() == 1 { "does" } else { "do" };
        let what: Vec<&str> = needs.iter().map(|need| need.what.as_str()).collect();
        let mut draft = out
            .report(
                needs[0].place,
                format!("by {who}"),
                format!(
                    "{who} {is} to {} for the VRF {}, but {does} not have it",
                    some_of(&what),
                    vrf.name.value
                ),
            )
            .related(vrf.on.0, format!("{} is on other switches", vrf.name.value));
        for need in &needs[1..] {
            draft = draft.related(need.place, format!("to {} too", need.what));
        }
        draft = draft
            .wire(format!(
                "{who} {does} none of this for {}: no route of it is there",
                vrf.name.value
            ))
            .remedy(format!(
                "put the VRF {} on {who}, or take {who} out of what needs it",
                vrf.name.value
            ))
            .about_name(&vrf.name.value);
        switches.iter().fold(draft, |draft, &switch| draft.about(switch));
    }
}
