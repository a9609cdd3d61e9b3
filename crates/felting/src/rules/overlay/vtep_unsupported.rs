use std::collections::BTreeMap;

use crate::diagnostic::Span;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Draft, Findings, Rule, Severity, some_of};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-vtep-unsupported",
        severity: Severity::Hint,
        summary: "an overlay statement names a switch whose hardware can be no VTEP",
        explain: "What hardware can't do is left out: the switch becomes no VTEP, and what the statement says has no effect \
              on it. A pattern such as \"*\" may well match such a switch; one that is named was meant.",
        sources: &["RFC 7348 section 4"],
        broken: concat!(
            part!(plant),
            r#"
[[hardware]]
name = "gull-24"
ports = "p[1-24] 25G"
vtep = false

[[switch]]
name = "jetty"
hardware = "gull-24"
number = 21

[[underlay]]
on = ["crest-*", "kelp-*"]

[[overlay]]
on = ["kelp-*", "jetty"]
gateway_mac = "02:46:45:00:00:01"
replication = "static"
"#
        ),
        mend: &[("on = [\"kelp-*\", \"jetty\"]", "on = \"kelp-*\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut of_place: BTreeMap<Span, Vec<DeviceId>> = BTreeMap::new();
    for &(device, span) in &fabric.overlays_unable {
        // By name, and not by a pattern that matches it too.
        let (name, on) = (fabric.device_name(device), fabric.sources().text(span));
        if on == name || on.contains(&format!("\"{name}\"")) {
            of_place.entry(span).or_default().push(device);
        }
    }
    for (span, devices) in of_place {
        let Some(kind) = fabric.hardware_of(devices[0]) else { continue };
        let names: Vec<&str> = devices.iter().map(|&device| fabric.device_name(device)).collect();
        let names = some_of(&names);
        let (is, becomes, on) = match devices.len() {
            1 => ("is", "becomes no VTEP", "on it"),
            _ => ("are", "become no VTEPs", "on them"),
        };
        let draft = out
            .report(
                span,
                "named as a VTEP",
                format!("{names} {is} of the hardware {}, which can be no VTEP", kind.name.value),
            )
            .related(kind.vtep.span, format!("{} is no VTEP", kind.name.value))
            .wire(format!(
                "{names} {becomes}: no segment {on} has a VNI, and what the statement says has no effect there"
            ))
            .remedy(format!("take {names} out of the overlay, or mend `vtep` of {}", kind.name.value));
        devices.into_iter().fold(draft, Draft::about);
    }
}
