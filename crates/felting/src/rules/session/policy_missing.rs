use rustc_hash::FxHashSet;

use crate::diagnostic::Span;
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

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut seen: FxHashSet<(DeviceId, Span, bool)> = FxHashSet::default();
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
        for (missing, key, verb) in [
            (session.import.is_empty(), "import", "takes no route from"),
            (session.export.is_empty(), "export", "tells no route to"),
        ] {
            if !missing
                || !carries
                || !seen.insert((session.device, session.span.0, key == "import"))
            {
                continue;
            }
            let (name, other) =
                (fabric.device_name(session.device), fabric.device_name(session.peer));
            out.report(
                session.span.0,
                format!("{name} has no `{key}` here"),
                format!("{name} {verb} {other}: its eBGP session has no {key} policy"),
            )
            .related(fabric.device(session.peer).name.span, format!("{other} is in another AS"))
            .wire(format!("the session is up, but {name} {verb} {other}"))
            .remedy(format!(
                "write the policies of `{key}`, or \"everything\"; or say \
                 `policy_required = false` if the switch does not follow RFC 8212"
            ))
            .about(session.device)
            .about(session.peer);
        }
    }
}
