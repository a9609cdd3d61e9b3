use std::collections::BTreeMap;

use super::carrying;
use crate::diagnostic::{Span, some_of};
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
    // One line may be for many: each sends to some peer.
    let mut said: BTreeMap<Span, BTreeMap<DeviceId, DeviceId>> = BTreeMap::new();
    for (_, session) in carrying(cx).filter(|(_, session)| !session.communities.value) {
        let of_line = said.entry(session.communities.span).or_default();
        of_line.entry(session.device).or_insert(session.peer);
    }
    for (span, senders) in said {
        let names: Vec<&str> = senders.keys().map(|&id| fabric.device_name(id)).collect();
        let Some((&first, &peer)) = senders.first_key_value() else { continue };
        let (who, sends) = (some_of(&names), if names.len() == 1 { "sends" } else { "send" });
        let draft = out
            .report(
                span,
                format!("{} sends none", fabric.device_name(first)),
                format!("{who} {sends} EVPN routes without their extended communities"),
            )
            .related(
                fabric.device(peer).name.span,
                format!("{} gets them, for one", fabric.device_name(peer)),
            )
            .wire(format!("what {who} {sends} has no route target left: no VTEP imports it"))
            .remedy("send extended communities on every EVPN session".to_owned());
        let about = senders.iter().fold(draft, |draft, (&id, _)| draft.about(id));
        about.about(peer);
    }
}
