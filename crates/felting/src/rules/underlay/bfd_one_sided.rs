use rustc_hash::FxHashSet;

use super::{End, both, report_ends};
use crate::diagnostic::Span;
use crate::fabric::{InterfaceId, Session};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-bfd-one-sided",
        severity: Severity::Warning,
        summary: "BFD watches a neighbour from one end only",
        explain: "BFD needs both ends: a system that is asked takes no notice of packets for a \
              session that it does not have. The end that has it waits for a session that never \
              comes up, and a dead neighbour is noticed only when hellos or keepalives run out.",
        sources: &["RFC 5880 section 6.8.6", "RFC 5882 section 4"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
bfd = true
differs = [{ on = "kelp-b", bfd = false }]
"#
        ),
        mend: &[(", bfd = false", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<[Span; 2]> = FxHashSet::default();
    for (_, adjacency) in cx.state.underlay().adjacencies() {
        let (near, far) = (adjacency.near, adjacency.far);
        let mut places = [near, far].map(|id| fabric.interface(id).bfd.span);
        places.sort_unstable();
        if adjacency.fault.is_some()
            || fabric.interface(near).bfd.value == fabric.interface(far).bfd.value
            || !said.insert(places)
        {
            continue;
        }
        let end = |id: InterfaceId| {
            let interface = fabric.interface(id);
            let watches = if interface.bfd.value { "watches" } else { "does not watch" };
            End {
                device: interface.device,
                span: interface.bfd.span,
                text: format!("{} {watches} the other end", fabric.interface_label(id)),
            }
        };
        report_ends(
            out,
            [end(near), end(far)],
            format!("BFD runs at one end only: {}", both(fabric, near, far)),
            "the BFD session never comes up, and a dead neighbour is noticed only by \
             its silence, after the dead interval",
            "run BFD at both ends, or at none",
        );
    }
    for (id, session) in fabric.sessions() {
        let Some(twin) = cx.state.bgp().session(id).twin.filter(|&twin| twin > id) else {
            continue;
        };
        let other = fabric.session(twin);
        let of_link = session
            .interface
            .is_some_and(|interface| fabric.interface(interface).bfd.value == session.bfd.value);
        let mut places = [session, other].map(|session| session.bfd.span);
        places.sort_unstable();
        if session.bfd.value == other.bfd.value || of_link || !said.insert(places) {
            continue;
        }
        let end = |session: &Session| {
            let watches = if session.bfd.value { "watches" } else { "does not watch" };
            let name = fabric.device_name(session.device);
            End {
                device: session.device,
                span: session.bfd.span,
                text: format!("{name} {watches} the other end"),
            }
        };
        let names = [session, other].map(|session| fabric.device_name(session.device));
        report_ends(
            out,
            [end(session), end(other)],
            format!("BFD runs at one end only of the session of {} and {}", names[0], names[1]),
            "the BFD session never comes up, and a dead peer is noticed only when \
             the hold time runs out",
            "run BFD at both ends, or at none",
        );
    }
}
