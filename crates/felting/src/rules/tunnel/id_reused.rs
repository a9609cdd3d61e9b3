use rustc_hash::FxHashSet;
use smol_str::SmolStr;

use crate::behaviour::Shim;
use crate::behaviour::tunnel::{Owner, owner};
use crate::diagnostic::Span;
use crate::fabric::{Ids, Pseudowire};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-id-reused",
        severity: Severity::Error,
        summary: "one switch expects packets of two pseudowires with one id",
        explain: "An id tells a switch to which wire a packet belongs: an L2TPv3 session id is one of the whole switch, whoever sends, and \
              a VNI is either one wire or one segment. With one id twice the frames of both come out at one port.",
        sources: &["RFC 3931 section 4.1", "RFC 7348 section 4.1"],
        broken: concat!(
            part!(far_apart),
            part!(wire),
            r#"
[[pseudowire]]
name = "lamp"
on = "inlet-a"
port = "p2"
to = "skerry-a"
session = { local = 17, remote = 43 }
"#,
            r#"
[[pseudowire]]
name = "lamp"
on = "skerry-a"
port = "p2"
to = "inlet-a"
session = { local = 43, remote = 17 }
"#
        ),
        mend: &[
            ("local = 17, remote = 43", "local = 19, remote = 43"),
            ("local = 43, remote = 17", "local = 43, remote = 19"),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut told: FxHashSet<(&SmolStr, SmolStr)> = FxHashSet::default();
    for (id, end) in fabric.pseudowires() {
        let (word, number, span) = id_of(end);
        let (other, place) = match owner(fabric, end.device, &Shim::expected(end)) {
            Some(Owner::Wire(first)) if first != id => {
                let first = fabric.pseudowire(first);
                (format!("the pseudowire {}", first.name.value), id_of(first).2)
            }
            Some(Owner::Segment(presence)) => {
                let presence = fabric.presence(presence);
                let name = &fabric.segment(presence.segment).name.value;
                (format!("the segment {name}"), presence.vni.map_or(span, |vni| vni.span))
            }
            _ => continue,
        };
        // Both ends of a wire with the VNI of one segment are one fault.
        if !told.insert((&end.name.value, SmolStr::new(&other))) {
            continue;
        }
        let (device, name) = (fabric.device_name(end.device), &end.name.value);
        let finding = out
            .report(
                span,
                format!("{word} {number} of {name}"),
                format!("on {device} the pseudowire {name} and {other} have one {word}: {number}"),
            )
            .related(place, format!("{word} {number} of {other}"))
            .wire(format!(
                "what comes to {device} with {word} {number} is taken for {other}, and nothing comes out at {name}"
            ))
            .remedy(format!("give {name} a {word} that {device} has nowhere else, at both ends"))
            .about(end.device)
            .about_name(name);
        if let Some(twin) = end.twin {
            finding.about(fabric.pseudowire(twin).device);
        }
    }
}

/// The id that an end expects: what it is, and where it is written.
fn id_of(end: &Pseudowire) -> (&'static str, u32, Span) {
    match &end.ids {
        Ids::Session { local, .. } => ("session", local.value.get(), local.span),
        Ids::Vni(vni) => ("VNI", vni.get(), vni.span),
    }
}
