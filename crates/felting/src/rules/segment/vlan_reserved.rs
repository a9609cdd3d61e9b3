use rustc_hash::FxHashSet;

use crate::diagnostic::Span;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-vlan-reserved",
        severity: Severity::Error,
        summary: "a segment uses a VLAN that the device keeps for itself",
        explain: "Devices use some VLAN ids inside, for routed ports for one. Such an id is refused \
              or does not work as a VLAN.",
        sources: &["IEEE 802.1Q clause 9.6"],
        broken: r#"
[[hardware]]
name = "tern-48"
reserved_vlans = "3968-4094"

[[switch]]
name = "kelp-a"
hardware = "tern-48"

[[segment]]
name = "tides-web"
vlan = 3990
on = "kelp-a"
"#,
        mend: &[("vlan = 3990", "vlan = 310")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<(Span, Span)> = FxHashSet::default();
    for (_, presence) in fabric.presences() {
        let reserved =
            fabric.hardware_of(presence.switch).and_then(|kind| kind.reserved_vlans.as_ref());
        let (Some(vlan), Some(reserved)) = (presence.vlan, reserved) else { continue };
        if !reserved.contains(vlan.value) || !said.insert((vlan.span, reserved.span)) {
            continue;
        }
        let (name, segment) =
            (fabric.device_name(presence.switch), &fabric.segment(presence.segment).name);
        out.report(
            vlan.span,
            format!("VLAN of {}", segment.value),
            format!("VLAN {} of {} is reserved on {name}", vlan.value, segment.value),
        )
        .related(reserved.span, "the device keeps these for itself")
        .wire(format!(
            "{name} refuses the VLAN, or takes its frames for its own: {} does not work there",
            segment.value
        ))
        .remedy("use a VLAN outside the reserved ones".to_owned())
        .about(presence.switch)
        .about_name(&segment.value);
    }
}
