use super::wires;
use crate::behaviour::WireFault;
use crate::fabric::Ids;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-id-clash",
        severity: Severity::Error,
        summary: "the two ends of a pseudowire mark their packets with other ids than the far end expects",
        explain: "Each end of an L2TPv3 session numbers what it receives, so what is `local` at one end is `remote` at the other; with \
              VXLAN both ends have one VNI. What comes in with another id is dropped, and neither end says so.",
        sources: &["RFC 3931 section 4.1", "RFC 7348 section 4.1"],
        broken: concat!(
            part!(far_apart),
            part!(wire_here),
            r#"
[[pseudowire]]
name = "tide-bus"
on = "skerry-a"
port = "p1"
to = "inlet-a"
session = { local = 42, remote = 17 }
"#
        ),
        mend: &[("local = 42", "local = 41")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    for ends in wires(cx.fabric).filter(|ends| ends.face() && ends.carry_alike()) {
        if let (
            Ids::Session { local, remote, .. },
            Ids::Session { local: far_local, remote: far_remote, .. },
        ) = (&ends.a.ids, &ends.b.ids)
            && (local.value, remote.value) == (far_local.value, far_remote.value)
            && local.value != remote.value
        {
            let ids = format!("local {} and remote {}", local.value, remote.value);
            ends.not_mirrored(cx, out, "session ids", &ids, [local.span, far_local.span]);
            continue;
        }
        for (way, (from, to)) in ends.ways().into_iter().enumerate() {
            let ids = match (&from.ids, &to.ids) {
                (Ids::Session { remote, .. }, Ids::Session { local, .. }) => {
                    ("session", remote.value.get(), remote.span, local.value.get(), local.span)
                }
                // The VNI is one for both ways.
                (Ids::Vni(here), Ids::Vni(there)) if from.device < to.device => {
                    ("VNI", here.get(), here.span, there.get(), there.span)
                }
                _ => continue,
            };
            let (word, sent, sent_at, expected, expected_at) = ids;
            if !ends.misfits(way).iter().any(|why| matches!(why, WireFault::NotTaken(_))) {
                continue;
            }
            let (name, [here, there]) = ends.said(cx.fabric, from, to);
            out.report(
                expected_at,
                format!("{there} expects {expected}"),
                format!("{name}: {here} sends with {word} {sent}, but {there} expects {expected}"),
            )
            .related(sent_at, format!("{here} sends with {sent}"))
            .wire(ends.consequence(cx))
            .remedy(format!(
                "write one {word} at both places: what {there} expects is what {here} sends with"
            ))
            .about(from.device)
            .about(to.device)
            .about_name(&from.name.value);
        }
    }
}
