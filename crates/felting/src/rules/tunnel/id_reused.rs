use rustc_hash::FxHashMap;

use crate::diagnostic::At;
use crate::fabric::{DeviceId, Ids, PresenceId, Pseudowire};
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
    let mut first: FxHashMap<(DeviceId, &str, u32), &Pseudowire> = FxHashMap::default();
    for (_, end) in fabric.pseudowires() {
        let (word, at) = match &end.ids {
            Ids::Session { local, .. } => ("session", At::new(local.value.get(), local.span)),
            Ids::Vni(vni) => ("VNI", At::new(vni.get(), vni.span)),
        };
        let device = fabric.device_name(end.device);
        let (name, number) = (&end.name.value, at.value);
        let own: &[PresenceId] = match word {
            "VNI" => fabric.presences_on(end.device),
            _ => &[],
        };
        let of_segment = own.iter().find_map(|&presence| {
            let presence = fabric.presence(presence);
            let vni = presence.vni.filter(|vni| vni.get() == number)?;
            Some((vni.span, format!("the segment {}", fabric.segment(presence.segment).name.value)))
        });
        let of_wire = first.get(&(end.device, word, number)).map(|other| {
            let span = match &other.ids {
                Ids::Session { local, .. } => local.span,
                Ids::Vni(vni) => vni.span,
            };
            (span, format!("the pseudowire {}", other.name.value))
        });
        let Some((span, other)) = of_segment.or(of_wire) else {
            first.insert((end.device, word, number), end);
            continue;
        };
        out.report(
            at.span,
            format!("{word} {number} of {name}"),
            format!("on {device} the pseudowire {name} and {other} have one {word}: {number}"),
        )
        .related(span, format!("{word} {number} of {other}"))
        .wire(format!("{device} cannot tell what is for {name} from what is for {other}"))
        .remedy(format!("give {name} a {word} that {device} has nowhere else, at both ends"))
        .about(end.device)
        .about_name(name);
    }
}
