use rustc_hash::FxHashSet;

use crate::diagnostic::Span;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-rt-auto-across-as",
        severity: Severity::Error,
        summary: "derived route targets differ because the AS numbers do",
        explain: "A derived target has the AS number of its own switch in it. With an AS number a \
              leaf, what one leaf exports no other imports, unless imports ignore that part.",
        sources: &["RFC 8365 section 5.1.2.1"],
        broken: concat!(
            part!(plant),
            part!(bgp),
            part!(segment),
            r#"
[[session]]
on = "kelp-*"
to = "crest-*"
multihop = 2
import = "everything"
export = "everything"

[[session]]
on = "crest-*"
to = "kelp-*"
multihop = 2
next_hop = "kept"
import = "everything"
export = "everything"
"#,
            r#"
[[overlay]]
on = "kelp-*"
targets = "as-vni"
"#
        ),
        mend: &[("targets = \"as-vni\"", "target_pattern = \"42041:{vni}\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (_, segment) in fabric.segments() {
        let derived = segment.presences.iter().filter_map(|id| {
            let instance = cx.state.evpn().instance(id)?;
            (!instance.written).then_some((id, instance))
        });
        let derived: Vec<_> = derived.collect();
        let minds = derived.iter().filter(|(_, own)| !own.any_as);
        let all_mind = minds.clone().count() == derived.len();
        for (id, own) in minds {
            let deaf_to = derived.iter().find_map(|(other, theirs)| {
                let deaf = !own.export.is_empty()
                    && !theirs.export.is_empty()
                    && !own.imports(&theirs.export);
                let asn = |id| {
                    fabric.router_of(fabric.presence(id).switch).and_then(|router| router.as_number)
                };
                let (a, b) = (asn(*id)?, asn(*other)?);
                (deaf && a.value != b.value).then_some((*other, a, b))
            });
            let Some((other, a, b)) = deaf_to else { continue };
            let (one, other) = (fabric.presence(*id).switch, fabric.presence(other).switch);
            let Some(overlay) = fabric.overlay_of(one) else { continue };
            let place = if all_mind { overlay.targets.span } else { overlay.any_as.span };
            if !said.insert(place) {
                break;
            }
            let (name, twin) = (fabric.device_name(one), fabric.device_name(other));
            let draft = match all_mind {
                true => out
                    .report(
                        place,
                        "targets are derived here",
                        format!(
                            "{name} and {twin} derive different route targets: they are in AS {} and AS {}",
                            a.value, b.value
                        ),
                    )
                    .wire("what each VTEP exports no other imports: every segment ends at its leaf")
                    .remedy(
                        "give a `target_pattern` for all, or let imports ignore the AS number (`any_as = true`) if \
                         the devices can",
                    ),
                false => out
                    .report(
                        place,
                        format!("{name} minds the AS number"),
                        format!(
                            "{name} minds the AS number in derived route targets, which others ignore: it is in AS {}, \
                             {twin} in AS {}",
                            a.value, b.value
                        ),
                    )
                    .wire(format!(
                        "{name} imports nothing of {twin}: what is sent to it arrives, and it knows no host elsewhere"
                    ))
                    .remedy(format!("say `any_as = true` for {name} too")),
            };
            draft.related(a.span, format!("{name} is in AS {}", a.value)).about(one).about(other);
            break;
        }
    }
}
