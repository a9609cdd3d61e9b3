use std::collections::BTreeMap;

use crate::diagnostic::{Span, some_of};
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Family;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "session-policy-missing",
        severity: Severity::Error,
        summary: "eBGP without a policy passes nothing",
        explain: "A speaker that follows RFC 8212 neither takes nor gives a route over an eBGP \
              session that has no policy, while the session itself is up and looks well.",
        sources: &["RFC 8212 section 2"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
protocol = "bgp"
import = "everything"
export = "everything"
differs = [{ on = "kelp-b", without = "import" }]

[[router]]
on = "crest-1"
as_number = 4204100001

[[pool]]
name = "leaves"
gives = "as-numbers"
base = 4204100000
on = "kelp-*"
"#
        ),
        mend: &[(", without = \"import\"", "")],
    },
    check,
};

/// The ends of sessions that one statement makes without a policy.
#[derive(Default)]
struct Bare {
    /// Whether some have no import policy, and some no export policy.
    missing: [bool; 2],
    /// Each router with one of its peers.
    routers: BTreeMap<DeviceId, DeviceId>,
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut bare: BTreeMap<Span, Bare> = BTreeMap::new();
    for (id, session) in fabric.sessions().filter(|(id, _)| cx.state.bgp().session(*id).is_up()) {
        let Some(router) = fabric.router_of(session.device).filter(|router| router.policy_required)
        else {
            continue;
        };
        let peer = fabric.router_of(session.peer).and_then(|peer| peer.as_number);
        if router.as_number.map(|asn| asn.value) == peer.map(|asn| asn.value) {
            continue;
        }
        let carries = [Family::Ipv4, Family::Ipv6, Family::Evpn]
            .into_iter()
            .any(|f| cx.state.bgp().session(id).carries(f));
        let missing = [session.import.is_empty(), session.export.is_empty()];
        if carries && missing != [false, false] {
            let of_line = bare.entry(session.span.0).or_default();
            of_line.routers.entry(session.device).or_insert(session.peer);
            for (known, missing) in of_line.missing.iter_mut().zip(missing) {
                *known |= missing;
            }
        }
    }
    for (span, Bare { missing, routers }) in bare {
        let Some((&first, &peer)) = routers.first_key_value() else { continue };
        let names: Vec<&str> = routers.keys().map(|&id| fabric.device_name(id)).collect();
        let (who, one) = (some_of(&names), names.len() == 1);
        let other = if one { fabric.device_name(peer) } else { "their peers" };
        let (keys, kinds, verbs) = match (missing, one) {
            ([true, false], true) => ("`import`", "import", "takes no route from"),
            ([true, false], false) => ("`import`", "import", "take no route from"),
            ([false, _], true) => ("`export`", "export", "tells no route to"),
            ([false, _], false) => ("`export`", "export", "tell no route to"),
            ([true, true], true) => (
                "`import` and `export`",
                "import and no export",
                "takes no route from, and tells none to,",
            ),
            ([true, true], false) => (
                "`import` and `export`",
                "import and no export",
                "take no route from, and tell none to,",
            ),
        };
        let have = if one { "its eBGP session has" } else { "their eBGP sessions have" };
        let draft = out
            .report(
                span,
                format!("no {keys} here for {}", fabric.device_name(first)),
                format!("{who} {verbs} {other}: {have} no {kinds} policy"),
            )
            .related(
                fabric.device(peer).name.span,
                format!("{} is in another AS", fabric.device_name(peer)),
            )
            .wire(format!("the sessions are up, but {who} {verbs} {other}"))
            .remedy(format!(
                "write the policies of {keys}, or \"everything\"; or say \
                 `policy_required = false` if the switch does not follow RFC 8212"
            ));
        let draft = routers.iter().fold(draft, |draft, (&id, _)| draft.about(id));
        if one {
            draft.about(peer);
        }
    }
}
