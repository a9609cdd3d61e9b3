use rustc_hash::FxHashSet;

use super::{End, both, report_ends};
use crate::behaviour::Entity;
use crate::diagnostic::{At, Span};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-authentication-clash",
        severity: Severity::Error,
        summary: "the two ends of a link or session have different secrets",
        explain: "A packet of a routing protocol that is not authenticated by the secret of the \
              receiver is dropped. To the one who looks at it the neighbour is just silent.",
        sources: &["RFC 2328 section 8.2", "RFC 5304", "RFC 5925"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
authentication = "ebb"
differs = [{ on = "kelp-b", authentication = "flood" }]
"#
        ),
        mend: &[(", authentication = \"flood\"", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Vec<Span>> = FxHashSet::default();
    for cause in cx.state.causes().of(RULE.rule.id) {
        let (ends, secrets, what) = match (cause.entity, cause.other) {
            (Entity::Interface(near), Some(Entity::Interface(far))) => {
                let end = |id| {
                    let interface = fabric.interface(id);
                    end(
                        interface.device,
                        &fabric.interface_label(id),
                        interface.authentication.as_ref(),
                        interface.span.0,
                    )
                };
                (
                    [end(near), end(far)],
                    [near, far].map(|id| {
                        fabric.interface(id).authentication.as_ref().map(|secret| secret.span)
                    }),
                    both(fabric, near, far),
                )
            }
            (Entity::Session(near), Some(Entity::Session(far))) => {
                let end = |id| {
                    let session = fabric.session(id);
                    let name = fabric.device_name(session.device);
                    end(session.device, name, session.authentication.as_ref(), session.span.0)
                };
                let names = [near, far].map(|id| fabric.device_name(fabric.session(id).device));
                (
                    [end(near), end(far)],
                    [near, far].map(|id| {
                        fabric.session(id).authentication.as_ref().map(|secret| secret.span)
                    }),
                    format!("the session of {} and {}", names[0], names[1]),
                )
            }
            _ => continue,
        };
        // A secret that is written once is told once, whatever is at the other ends.
        let mut places: Vec<Span> = secrets.into_iter().flatten().collect();
        places.sort_unstable();
        if !said.insert(places) {
            continue;
        }
        report_ends(
            out,
            ends,
            format!("two neighbours use different secrets: {what}"),
            "each end drops what the other sends, and looks silent to it",
            "use one secret at both ends",
        );
    }
}

fn end(
    device: crate::fabric::DeviceId,
    name: &str,
    secret: Option<&At<smol_str::SmolStr>>,
    span: Span,
) -> End {
    match secret {
        Some(secret) => End {
            device,
            span: secret.span,
            text: format!("{name} uses the secret {}", secret.value),
        },
        None => End { device, span, text: format!("{name} uses no secret") },
    }
}
