use std::collections::BTreeSet;

use crate::behaviour::Entity;
use crate::diagnostic::some_of;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-loopback-missing",
        severity: Severity::Error,
        summary: "a session between loopbacks has no address to be from",
        explain: "A BGP session that is not over a link is between loopbacks: each end sends from its own to the \
              other\u{2019}s. A router without a loopback, and without a `source` written for the session, has nothing to \
              send from and nothing that the other could send to.",
        sources: &["RFC 4271 section 8.2.1"],
        broken: concat!(
            part!(switches),
            part!(vtep_addresses),
            part!(uplinks),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            part!(segment),
            part!(vteps),
        ),
        mend: &[(
            "[cabling]",
            "[[pool]]\nname = \"loopbacks\"\ngives = \"loopbacks\"\nprefix = \"10.64.8.0/24\"\n\n[cabling]",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let of_cause = cx.state.causes().of(RULE.rule.id).flat_map(|cause| {
        [Some(cause.entity), cause.other].into_iter().flatten().filter_map(|entity| match entity {
            Entity::Session(session) => Some(session),
            _ => None,
        })
    });
    let mut sessions: Vec<_> = of_cause.filter(|&id| fabric.session(id).source.is_none()).collect();
    sessions.sort_unstable();
    let lacking: BTreeSet<DeviceId> =
        sessions.iter().map(|&id| fabric.session(id).device).collect();
    let Some(&first) = sessions.first() else { return };
    let session = fabric.session(first);
    let names: Vec<&str> = lacking.iter().map(|&device| fabric.device_name(device)).collect();
    let who = some_of(&names);
    let (has, it) = if lacking.len() == 1 { ("has", "it") } else { ("have", "them") };
    let draft = out
        .report(
            session.span.0,
            "between loopbacks",
            format!("{who} {has} no loopback for the sessions to be from"),
        )
        .related(fabric.device(session.device).name.span, format!("{} has none", names[0]))
        .wire(format!("no session that leads to {it} comes up, and no route goes over one"))
        .remedy("give a pool of `loopbacks` that is for all of them, or a `loopback` to each in a [[router]]");
    lacking.iter().fold(draft, |draft, &device| draft.about(device));
}
