use super::place;
use crate::behaviour::{Aspect, Entity};
use crate::rules::lag::{half_name, split_wire};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "es-single-leaf",
        severity: Severity::Warning,
        summary: "an Ethernet segment on one leaf only",
        explain: "An Ethernet segment joins the legs that a host has on several leaves. On one leaf only, either \
              the other leaf lacks the identifier and the host's LAG does not form as a whole, or the host \
              hangs on one switch, and the identifier promises what is not there.",
        sources: &["RFC 7432 section 5", "RFC 7432 section 8.1"],
        broken: r#"
[[switch]]
name = "dune-[a-b]"
ports = "p[1-4] 25G"

[[lag]]
on = "dune-*"
name = "hull-05"
ports = "p1"
tagged = 311
ethernet_segment = "02:46:00:00:00:0f/5"
differs = [{ on = "dune-b", without = "ethernet_segment" }]

[[host]]
name = "hull-05"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = "hull-05 nic[1-2] -- dune-[a-b] p1"
"#,
        mend: &[("\ndiffers = [{ on = \"dune-b\", without = \"ethernet_segment\" }]", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, segment) in fabric.ethernet_segments() {
        let [leg] = segment.legs[..] else { continue };
        let lag = fabric.lag(leg);
        let claimed = cx.state.causes().claimed(Entity::EthernetSegment(id), Aspect::Membership);
        let cause = claimed.map(|cause| cx.state.causes().get(cause));
        // Another fault explains why it is alone.
        let known =
            cx.state.lag(leg).tangled && cause.is_none_or(|cause| cause.rule != RULE.rule.id);
        let clash = cx.state.causes().of("es-id-clash").any(|cause| {
            cause.entity == Entity::EthernetSegment(id)
                || cause.other == Some(Entity::EthernetSegment(id))
        });
        if known || clash || lag.group.is_some() {
            continue;
        }
        let name = half_name(fabric, leg);
        let other = cause.and_then(|cause| match cause.other {
            Some(Entity::Lag(other)) => Some(other),
            _ => None,
        });
        let mut draft = out.report(
            place(fabric, leg),
            "no other leaf has it",
            match other {
                Some(other) => format!(
                    "{name} is in the Ethernet segment {}, but {} is not",
                    segment.id,
                    half_name(fabric, other)
                ),
                None => format!(
                    "the Ethernet segment {} is on one leaf only, {}",
                    segment.id,
                    fabric.device_name(lag.device)
                ),
            },
        );
        draft = match other {
            Some(other) => draft
                .severity(Severity::Error)
                .related(fabric.lag(other).name.span, "no identifier here")
                .about(fabric.lag(other).device),
            None => draft.related(lag.name.span, "this LAG"),
        };
        draft
            .wire(match other {
                Some(_) => split_wire(lag.protocol.value),
                None => "it works, but the host is cut off when this leaf fails",
            })
            .remedy("write the identifier on the other leaf of the host too, or take it out")
            .about(lag.device);
    }
}
