use super::once_a_place;
use crate::diagnostic::Span;
use crate::fabric::{Fabric, PortId, PortSettings};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{UnderlayProtocol, VlanSet};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "port-layer-clash",
        severity: Severity::Error,
        summary: "a link is bridged at one end and routed at the other",
        explain: "A port that carries VLANs is a port of a bridge, and no link of the underlay. The router at the other \
              end sends packets that the bridge takes for frames of some VLAN, or drops: neither finds a \
              neighbour. (Of LAGs `lag-layer-clash` says the same.)",
        sources: &["IEEE 802.1Q clause 8.6.2", "RFC 1812 section 5.3.1"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]

[[port]]
on = "crest-1"
ports = "p1"
tagged = 310
"#
        ),
        mend: &[("\n[[port]]\non = \"crest-1\"\nports = \"p1\"\ntagged = 310\n", "")],
    },
    check,
};

/// A link, by its bridged end and what is set there.
struct Link<'a> {
    bridged: PortId,
    own: &'a PortSettings,
    routed: PortId,
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (link, more) in once_a_place(links(fabric), |link| link.own.span.0) {
        let (own, other) = (fabric.port_label(link.bridged), fabric.port_label(link.routed));
        let all: VlanSet =
            link.own.tagged.iter().chain(link.own.untagged.map(|vlan| vlan.value)).collect();
        let place = match link.own.untagged.filter(|_| link.own.tagged.is_empty()) {
            Some(untagged) => untagged.span,
            None => link.own.tagged.span,
        };
        out.report(
            place,
            format!("{own} carries VLAN {all}"),
            format!("{own} carries VLAN {all}, but {other} at its end is routed{more}"),
        )
        .related(fabric.port(link.routed).span.0, format!("{other} carries none"))
        .wire(format!("no neighbour is found over this link, and no packet of the underlay takes it: {other} drops what is tagged"))
        .remedy(format!("take VLAN {all} off {own}, or carry it on {other} too"))
        .about(fabric.port(link.bridged).device)
        .about(fabric.port(link.routed).device);
    }
}

/// The links that are bridged at one end and routed at the other.
fn links(fabric: &Fabric) -> impl Iterator<Item = Link<'_>> {
    fabric.cables().filter_map(move |(_, cable)| {
        let [a, b] = cable.ends.map(|end| end.value);
        let link = |bridged: PortId, routed: PortId| {
            let own = carries(fabric, bridged)?;
            is_routed(fabric, routed, bridged).then_some(Link { bridged, own, routed })
        };
        link(a, b).or_else(|| link(b, a))
    })
}

/// Where ports are told to carry VLANs that lead to a routed end.
pub(in crate::rules) fn carried_over_routed(cx: &Context<'_>) -> impl Iterator<Item = Span> {
    links(cx.fabric).flat_map(|link| {
        let untagged = link.own.untagged.map(|vlan| vlan.span);
        std::iter::once(link.own.tagged.span).chain(untagged)
    })
}

/// The settings of a single port that carries VLANs.
fn carries(fabric: &Fabric, port: PortId) -> Option<&PortSettings> {
    let own = fabric.settings_of(port).filter(|own| own.addresses.is_empty())?;
    let carries = !own.tagged.is_empty() || own.untagged.is_some();
    (carries && fabric.lag_of(port).is_none()).then_some(own)
}

/// Whether a port is a link of the underlay as soon as its far end is: of a router that runs a protocol, and bridged by
/// nobody.
fn is_routed(fabric: &Fabric, port: PortId, far: PortId) -> bool {
    let runs = |port: PortId| {
        let router = fabric.router_of(fabric.port(port).device);
        let protocol = router.and_then(|router| router.protocol).map(|protocol| protocol.value);
        protocol.is_some_and(|protocol| protocol != UnderlayProtocol::None)
    };
    let own = fabric.settings_of(port);
    let bridged = own.is_some_and(|own| !own.tagged.is_empty() || own.untagged.is_some());
    runs(port) && runs(far) && !bridged && fabric.lag_of(port).is_none()
}
