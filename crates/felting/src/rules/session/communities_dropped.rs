use rustc_hash::FxHashSet;

use super::carrying;
use crate::diagnostic::Span;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "session-communities-dropped",
        severity: Severity::Error,
        summary: "extended communities are not sent on an EVPN session",
        explain: "Route targets, the encapsulation and the router MAC travel as extended \
              communities. Without them a route belongs to no segment and no VRF, and nobody \
              imports it.",
        sources: &["RFC 4360 section 6", "RFC 7432 section 7.11"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(vteps),
            part!(segment),
            r#"
[[session]]
on = "kelp-*"
to = "crest-*"
differs = [{ on = "kelp-b", communities = false }]

[[session]]
on = "crest-*"
to = "kelp-*"
client = true
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", communities = false }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<(DeviceId, Span)> = FxHashSet::default();
    for (_, session) in carrying(cx).filter(|(_, session)| !session.communities.value) {
        if !said.insert((session.device, session.communities.span)) {
            continue;
        }
        let (name, peer) = (fabric.device_name(session.device), fabric.device_name(session.peer));
        out.report(
            session.communities.span,
            format!("{name} sends none"),
            format!("{name} sends EVPN routes without their extended communities"),
        )
        .related(fabric.device(session.peer).name.span, format!("{peer} gets them, for one"))
        .wire(format!("what {name} sends has no route target left: no VTEP imports it"))
        .remedy("send extended communities on every EVPN session".to_owned())
        .about(session.device)
        .about(session.peer);
    }
}
