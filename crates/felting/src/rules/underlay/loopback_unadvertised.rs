use std::collections::{BTreeMap, BTreeSet};
use std::net::IpAddr;

use crate::diagnostic::Span;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity, some_of};
use crate::value::{Advertised, SessionOver, UnderlayProtocol};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-loopback-unadvertised",
        severity: Severity::Error,
        summary: "a loopback or VTEP address is not advertised",
        explain: "Sessions between loopbacks, and all tunnels, need routes to them. An address that \
              its switch does not tell the underlay of is reached by nobody.",
        sources: &["RFC 8365 section 5", "RFC 4271 section 5.1.3"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]
differs = [{ on = "kelp-b", advertise = "links" }]

[[router]]
on = ["crest-1", "kelp-*"]
as_number = 4204100000

[[session]]
on = "kelp-*"
to = "crest-1"

[[session]]
on = "crest-1"
to = "kelp-*"
client = true
"#
        ),
        mend: &[(", advertise = \"links\"", "")],
    },
    check,
};

const LOOPBACK: &str = "loopback";
const VTEP: &str = "VTEP address";

/// So many places that need the address are shown.
const MOST_NEEDS: usize = 3;

/// What of a switch is not advertised: the address, and where it is needed.
type Lack = (DeviceId, IpAddr, Span);

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // What one statement leaves out is told once, of however many switches.
    let mut lacks: BTreeMap<(Span, &str), Vec<Lack>> = BTreeMap::new();
    for (_, router) in fabric.routers() {
        let runs = router.protocol.filter(|protocol| protocol.value != UnderlayProtocol::None);
        let Some(protocol) = runs else { continue };
        let says = |what: Advertised| router.advertised.iter().any(|one| one.value == what);
        let sessions =
            router.sessions.iter().find(|&id| fabric.session(id).over == SessionOver::Loopbacks);
        let place = router.advertised.first().map_or(protocol.span, |first| first.span);
        let mut lack = |what, address, needed| {
            lacks.entry((place, what)).or_default().push((router.device, address, needed));
        };
        if let (false, Some(session), Some(loopback)) =
            (says(Advertised::Loopbacks), sessions, router.loopbacks.first())
        {
            lack(LOOPBACK, loopback.address(), fabric.session(session).span.0);
        }
        if let (false, Some(vtep)) = (says(Advertised::Vteps), fabric.vtep_of(router.device)) {
            lack(VTEP, vtep.value, vtep.span);
        }
    }
    for ((place, what), lacks) in lacks {
        let names: Vec<&str> = lacks.iter().map(|lack| fabric.device_name(lack.0)).collect();
        let addresses: BTreeSet<IpAddr> = lacks.iter().map(|lack| lack.1).collect();
        let addresses: Vec<String> = addresses.iter().map(IpAddr::to_string).collect();
        let (them, plural) = match (addresses.len(), what) {
            (1, _) => ("it", ""),
            (_, LOOPBACK) => ("them", "s"),
            _ => ("them", "es"),
        };
        let addresses = some_of(&addresses.iter().map(String::as_str).collect::<Vec<_>>());
        let does =
            if names.len() == 1 { "does not advertise its" } else { "do not advertise their" };
        let key = if what == LOOPBACK { "loopbacks" } else { "vteps" };
        let mut needed: BTreeMap<Span, Vec<&str>> = BTreeMap::new();
        for &(device, _, span) in &lacks {
            needed.entry(span).or_default().push(fabric.device_name(device));
        }
        let draft = out
            .report(
                place,
                format!("this does not include {them}"),
                format!("{} {does} {what}{plural} {addresses}", some_of(&names)),
            )
            .wire(format!(
                "no other switch has a route to {addresses}: sessions and tunnels to {them} \
                 do not come up"
            ))
            .remedy(format!("add \"{key}\" to `advertise`, or take `advertise` out"));
        let draft = needed.into_iter().take(MOST_NEEDS).fold(draft, |draft, (span, names)| {
            let uses = if names.len() == 1 { "uses" } else { "use" };
            draft.related(span, format!("{} {uses} it here", some_of(&names)))
        });
        lacks.iter().fold(draft, |draft, lack| draft.about(lack.0));
    }
}
