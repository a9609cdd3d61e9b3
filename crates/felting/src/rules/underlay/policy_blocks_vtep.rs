use std::collections::BTreeMap;
use std::collections::btree_map::Entry;

use super::loss_at;
use crate::behaviour::NotPassed;
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, SessionId};
use crate::rules::{Check, Context, Draft, Findings, Rule, Severity};
use crate::value::IpPrefix;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-policy-blocks-vtep",
        severity: Severity::Warning,
        summary: "a policy keeps the way to a VTEP from another",
        explain: "What a routing policy does not let through is not told. Where it stops the addresses \
              of VTEPs on one of several ways, all is well until the other way fails; where it \
              stops them on every way, no VTEP reaches another though all sessions are up.",
        sources: &["RFC 4271 section 9.1.3", "RFC 7348 section 4"],
        broken: r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "p[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = "p[49-52] 100G"

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

[[policy]]
name = "loopbacks"
permit = "10.64.8.0/24"

[[underlay]]
on = ["crest-*", "kelp-*"]
protocol = "bgp"
import = "everything"
export = "everything"
differs = [{ on = "crest-2", export = "loopbacks" }]

[[router]]
on = "crest-*"
as_number = 4204100001

[[pool]]
name = "leaves"
gives = "as-numbers"
base = 4204100000
on = "kelp-*"

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

[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"

[[segment]]
name = "tides-web"
vlan = 310
vni = 23310
on = "kelp-*"

[cabling]
runs = ["kelp-[a-b] p49 -- crest-1 p[1-2]", "kelp-[a-b] p50 -- crest-2 p[1-2]"]
"#,
        mend: &[("differs = [{ on = \"crest-2\", export = \"loopbacks\" }]\n", "")],
    },
    check,
};

/// What one policy keeps from somebody.
struct Case {
    session: SessionId,
    why: NotPassed,
    at: DeviceId,
    of: DeviceId,
    /// Whether the one does not reach the other at all because of it.
    cut: bool,
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let written = fabric.sessions().any(|(_, session)| {
        let policies = session.import.iter().chain(&session.export);
        let mut policies = policies.map(|policy| policy.value);
        policies.any(|policy| matches!(policy, crate::fabric::PolicyName::Policy(_)))
    });
    if !written {
        return;
    }
    let vteps: Vec<_> = fabric
        .overlays()
        .filter_map(|(_, overlay)| {
            Some((overlay.device, fabric.device(overlay.device).router?, overlay.vtep?.value))
        })
        .collect();
    let mut cases: BTreeMap<(Span, u8), Case> = BTreeMap::new();
    for &(of, origin, address) in &vteps {
        let prefix = IpPrefix::host(address);
        for &(at, router, own) in &vteps {
            if router == origin || own == address || !share(cx, at, of) {
                continue;
            }
            let barred = cx.state.barred(router, prefix);
            if barred.is_empty() {
                continue;
            }
            let cut = cx.state.delivers(router, address).is_err();
            for (session, why) in barred {
                let loss = loss_at(cx, session, why);
                let kind = u8::from(why == NotPassed::Imported);
                let found = Case { session, why, at, of, cut };
                match cases.entry((loss.span, kind)) {
                    Entry::Vacant(case) => drop(case.insert(found)),
                    // Who is cut off is the better example.
                    Entry::Occupied(mut case) if cut && !case.get().cut => drop(case.insert(found)),
                    Entry::Occupied(_) => {}
                }
            }
        }
    }
    for case in cases.into_values() {
        let loss = loss_at(cx, case.session, case.why);
        let (name, other) = (fabric.device_name(case.at), fabric.device_name(case.of));
        let wire = match case.cut {
            true => format!("{name} has no way to {other}: nothing that it sends there arrives"),
            false => {
                format!("{name} reaches {other} by other ways only: if these fail, not at all")
            }
        };
        let severity = if case.cut { Severity::Error } else { Severity::Warning };
        let draft = out
            .report(
                loss.span,
                loss.label,
                format!("{name} is not told the way to the VTEP of {other}: {}", loss.why),
            )
            .severity(severity)
            .wire(wire)
            .remedy(loss.remedy)
            .about(case.at)
            .about(case.of);
        let policy = match case.why {
            NotPassed::Exported(sent) => fabric.session(sent).export.first(),
            _ => fabric.session(case.session).import.first(),
        };
        let statement = policy.and_then(|policy| match policy.value {
            crate::fabric::PolicyName::Policy(id) => Some(fabric.policy(id)),
            crate::fabric::PolicyName::Everything => None,
        });
        let draft = match statement {
            Some(policy) => draft.related(
                policy.name.span,
                format!("{} lets other prefixes through", policy.name.value),
            ),
            None => draft,
        };
        loss.devices.into_iter().fold(draft, Draft::about);
    }
}

/// Whether two VTEPs have a segment in common.
fn share(cx: &Context<'_>, a: DeviceId, b: DeviceId) -> bool {
    let own = cx.fabric.presences_on(a).iter();
    own.map(|&id| cx.fabric.presence(id)).any(|presence| {
        presence.vni.is_some() && cx.fabric.presence_of(presence.segment, b).is_some()
    })
}
