use std::collections::BTreeMap;

use rustc_hash::FxHashSet;

use super::{asn, vteps};
use crate::behaviour::NotPassed;
use crate::behaviour::session::is_internal;
use crate::diagnostic::{Span, some_of};
use crate::fabric::{DeviceId, Fabric};
use crate::rules::session::carrying;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Family;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-reflector-client-missing",
        severity: Severity::Error,
        summary: "a reflector does not treat a leaf as its client",
        explain: "A route reflector passes on what its clients tell it, and to its clients what \
              others tell it. Between two peers that are no clients it passes nothing.",
        sources: &["RFC 4456 section 6"],
        broken: r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "p[1-4] 100G"

[[switch]]
name = "kelp-[a-c]"
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

[[underlay]]
on = ["crest-*", "kelp-*"]

[[router]]
on = ["crest-*", "kelp-*"]
as_number = 4204100000

[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"

[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"

[[session]]
on = "kelp-*"
to = "crest-*"

[[session]]
on = "crest-*"
to = "kelp-a"
client = true

[[session]]
on = "crest-*"
to = "kelp-[b-c]"

[cabling]
runs = [
  "kelp-a p[49-50] -- crest-[1-2] p1",
  "kelp-b p[49-50] -- crest-[1-2] p2",
  "kelp-c p[49-50] -- crest-[1-2] p3",
]
"#,
        mend: &[("to = \"kelp-[b-c]\"\n", "to = \"kelp-[b-c]\"\nclient = true\n")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    if !fabric.sessions().any(|(_, session)| session.client.value) {
        return;
    }
    let mut clients: BTreeMap<DeviceId, Span> = BTreeMap::new();
    let mut others: BTreeMap<(Span, DeviceId), Vec<DeviceId>> = BTreeMap::new();
    for (_, session) in carrying(cx).filter(|(_, session)| is_internal(fabric, session)) {
        if session.client.value {
            clients.entry(session.device).or_insert(session.client.span);
        } else if fabric.vtep_of(session.peer).is_some() {
            others.entry((session.client.span, session.device)).or_default().push(session.peer);
        }
    }
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for ((span, reflector), leaves) in others {
        let Some(&reflects) = clients.get(&reflector) else {
            // Beside two that reflect, a third that has the same peers was to be one too.
            let beside = fabric.vtep_of(reflector).is_none() && leaves.len() > 1;
            if clients.len() > 1 && beside && said.insert(span) {
                without_clients(fabric, reflector, (span, &leaves), &clients, out);
            }
            continue;
        };
        let router = |device: DeviceId| fabric.device(device).router;
        // With a full mesh beside the reflector nothing is missing.
        let vteps = vteps(cx);
        let deaf = leaves.iter().find(|&&leaf| {
            vteps.iter().any(|(other, origin, _)| {
                asn(fabric, *other) == asn(fabric, leaf)
                    && *other != leaf
                    && fabric.pair_of(*other, leaf).is_none()
                    && router(leaf)
                        .is_some_and(|at| !cx.state.routes_reach(Family::Evpn, *origin, at))
            })
        });
        let Some(&leaf) = deaf else {
            if let Some(half) = half_passed(cx, reflector, &leaves)
                && said.insert(span)
            {
                half.report(cx, reflector, span, reflects, out);
            }
            continue;
        };
        if !said.insert(span) {
            continue;
        }
        let (name, names) = (
            fabric.device_name(reflector),
            leaves.iter().map(|&l| fabric.device_name(l)).collect::<Vec<_>>(),
        );
        let names = some_of(&names);
        out.report(
            span,
            format!("{name} does not treat {names} as clients"),
            format!("{name} reflects, but {names} are not its clients"),
        )
        .related(reflects, format!("{name} has clients here"))
        .wire(format!("{names} don\u{2019}t learn from each other what only {name} could pass on"))
        .remedy("say `client = true` for them".to_owned())
        .about(reflector)
        .about(leaf);
    }
}

/// A switch with sessions to clients of others, of which none is its own.
fn without_clients(
    fabric: &Fabric,
    name: DeviceId,
    (span, leaves): (Span, &[DeviceId]),
    clients: &BTreeMap<DeviceId, Span>,
    out: &mut Findings<'_>,
) {
    let names: Vec<&str> = leaves.iter().map(|&leaf| fabric.device_name(leaf)).collect();
    let others: Vec<&str> = clients.keys().map(|&other| fabric.device_name(other)).collect();
    let (names, others) = (some_of(&names), some_of(&others));
    let Some(&place) = clients.values().next() else { return };
    let own = fabric.device_name(name);
    let draft = out
        .report(
            span,
            format!("{own} has no clients"),
            format!("{own} reflects nothing: {names} are clients of {others}, and not of it"),
        )
        .severity(Severity::Warning)
        .related(place, "clients here")
        .wire(format!("{own} passes on no route of one VTEP to another: only {others} do"))
        .remedy(format!("say `client = true` for the sessions of {own}, or take them out"))
        .about(name);
    leaves.iter().fold(draft, |draft, &leaf| draft.about(leaf));
}

/// So many are tried beside the first: those of one session statement mostly stand alike.
const MOST_TRIED: usize = 16;

/// Two VTEPs that a reflector doesn't pass each other's routes to, which one other speaker alone does.
struct Half {
    between: [DeviceId; 2],
    /// Who does.
    by: DeviceId,
}

/// Non-clients of a reflector that learn from each other by one other speaker only: not over a session of their own,
/// and not as the sides of a pair.
fn half_passed(cx: &Context<'_>, reflector: DeviceId, leaves: &[DeviceId]) -> Option<Half> {
    let fabric = cx.fabric;
    let first = *leaves.first()?;
    let at = fabric.device(first).router?;
    leaves[1..].iter().take(MOST_TRIED).find_map(|&other| {
        let origin = fabric.device(other).router?;
        if asn(fabric, other) != asn(fabric, first) || fabric.pair_of(first, other).is_some() {
            return None;
        }
        let found = cx.state.propagate(Family::Evpn, &[origin], None);
        let offers = cx.state.offers(Family::Evpn, &found, at, None);
        let peer = |session| fabric.session(session).peer;
        let withheld = offers.iter().any(|(session, offer)| {
            peer(*session) == reflector && *offer == Err(NotPassed::NotReflected)
        });
        let mut bring = offers.iter().filter(|(_, offer)| offer.is_ok());
        let (Some((session, _)), None) = (bring.next(), bring.next()) else { return None };
        let by = peer(*session);
        (withheld && by != other).then_some(Half { between: [first, other], by })
    })
}

impl Half {
    fn report(
        &self,
        cx: &Context<'_>,
        reflector: DeviceId,
        span: Span,
        reflects: Span,
        out: &mut Findings<'_>,
    ) {
        let fabric = cx.fabric;
        let [one, other] = self.between.map(|device| fabric.device_name(device));
        let (name, by) = (fabric.device_name(reflector), fabric.device_name(self.by));
        out.report(
            span,
            format!("{one} and {other} are no clients of {name}"),
            format!("{name} reflects, but not between {one} and {other}: {by} alone does"),
        )
        .severity(Severity::Warning)
        .related(reflects, format!("{name} has clients here"))
        .wire(format!("while {by} is off, {one} and {other} learn nothing from each other"))
        .remedy("say `client = true` for them".to_owned())
        .about(reflector)
        .about(self.between[0])
        .about(self.between[1]);
    }
}
