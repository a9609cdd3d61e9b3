use std::collections::BTreeMap;

use rustc_hash::FxHashSet;

use crate::behaviour::SessionFault;
use crate::diagnostic::Span;
use crate::fabric::SessionId;
use crate::rules::overlay::TELLS_WHY;
use crate::rules::underlay::{Loss, loss};
use crate::rules::{Check, Context, Draft, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "session-unreachable",
        severity: Severity::Error,
        summary: "a BGP session has no route to its peer",
        explain: "A session between loopbacks is a TCP connection that the underlay must carry both \
              ways. Without a route one way it stays down, and no route of the overlay crosses it.",
        sources: &["RFC 4271 section 8"],
        broken: r#"
[[switch]]
name = "skerry-[a-b]"
number = 41
role = "leaf"
ports = "p[49-50] 100G"

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[[router]]
on = "skerry-*"
as_number = 4204100000

[[overlay]]
on = "skerry-*"
target_pattern = "42041:{vni}"

[[session]]
on = "skerry-*"
to = "skerry-*"

[[interface]]
on = "skerry-*"
port = "p49"
address = "10.64.0.0/31"
differs = [{ on = "skerry-b", address = "10.64.0.1/31" }]

[[route]]
on = "skerry-a"
to = ["10.64.8.0/24", "10.64.9.0/24"]
via = "10.64.0.1"

[[route]]
on = "skerry-b"
to = "10.64.9.0/24"
via = "10.64.0.0"

[cabling]
runs = "skerry-a p49 -- skerry-b p49"
"#,
        mend: &[("to = \"10.64.9.0/24\"", "to = [\"10.64.8.0/24\", \"10.64.9.0/24\"]")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut cases: BTreeMap<(Span, String), (Loss, Vec<SessionId>)> = BTreeMap::new();
    for (id, session) in fabric.sessions() {
        let outcome = cx.state.bgp().session(id);
        let (Some(SessionFault::Unreachable), None) = (outcome.fault, outcome.cause) else {
            continue;
        };
        // A session with what is off is down, as was asked.
        if [session.device, session.peer].iter().any(|&device| cx.state.is_off(device)) {
            continue;
        }
        let ends = fabric.device(session.device).router.zip(session.peer_address);
        let loss = ends.and_then(|(router, peer)| loss(cx, router, peer.value, session.peer));
        let Some(loss) = loss else { continue };
        let mut devices = vec![session.device, session.peer];
        devices.extend(&loss.devices);
        if !cx.is_told(TELLS_WHY, &devices) {
            let case = cases.entry((loss.span, loss.remedy.clone()));
            case.or_insert((loss, Vec::new())).1.push(id);
        }
    }
    let mut told: FxHashSet<(SessionId, Span)> = FxHashSet::default();
    for (loss, mut sessions) in cases.into_values() {
        // Of what is wrong at one place for both ends of a session, one end is told.
        sessions.retain(|&id| {
            let twin = fabric.twin(id);
            !twin.is_some_and(|twin| told.contains(&(twin, loss.span)))
        });
        told.extend(sessions.iter().map(|&id| (id, loss.span)));
        if sessions.is_empty() {
            continue;
        }
        let session = fabric.session(sessions[0]);
        let (name, peer) = (fabric.device_name(session.device), fabric.device_name(session.peer));
        let Some(address) = session.peer_address else { continue };
        let more = match sessions.len() {
            1 => String::new(),
            2 => ", and so has one more session".to_owned(),
            many => format!(", and so have {} more sessions", many - 1),
        };
        let draft = out
            .report(
                loss.span,
                loss.label,
                format!(
                    "{name} has no route to {peer} ({}) for their BGP session: {}{more}",
                    address.value, loss.why
                ),
            )
            .related(session.span.0, format!("the session of {name} with {peer}"))
            .wire(format!("the session of {name} with {peer} stays down, and no route crosses it"))
            .remedy(loss.remedy)
            .about(session.device)
            .about(session.peer);
        let others = sessions.iter().flat_map(|&id| {
            let session = fabric.session(id);
            [session.device, session.peer]
        });
        others.chain(loss.devices).fold(draft, Draft::about);
    }
}
