use crate::rules::{Context, Findings, Rule, Severity};
use crate::value::{Advertised, SessionOver, UnderlayProtocol};

pub(super) static RULE: Rule = Rule {
    id: "underlay-loopback-not-advertised",
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
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, router) in fabric.routers() {
        let runs = router.protocol.filter(|protocol| protocol.value != UnderlayProtocol::None);
        let Some(protocol) = runs else { continue };
        let says = |what: Advertised| router.advertised.iter().any(|one| one.value == what);
        let sessions =
            router.sessions.iter().find(|&id| fabric.session(id).over == SessionOver::Loopbacks);
        let name = fabric.device_name(router.device);
        let place = router.advertised.first().map_or(protocol.span, |first| first.span);
        let mut lacks: Vec<(&str, std::net::IpAddr, crate::source::Span)> = Vec::new();
        if let (false, Some(session), Some(loopback)) =
            (says(Advertised::Loopbacks), sessions, router.loopbacks.first())
        {
            lacks.push(("loopback", loopback.address(), fabric.session(session).span));
        }
        if let (false, Some(vtep)) = (says(Advertised::Vteps), fabric.vtep_of(router.device)) {
            lacks.push(("VTEP address", vtep.value, vtep.span));
        }
        for (what, address, needed) in lacks {
            out.report(
                place,
                "this does not include it",
                format!("{name} does not advertise its {what} {address}"),
            )
            .related(needed, format!("{name} uses it here"))
            .wire(format!(
                "no other switch has a route to {address}: sessions and tunnels to it \
                 do not come up"
            ))
            .remedy("add it to `advertise`, or take `advertise` out".to_owned())
            .about(router.device);
        }
    }
}
