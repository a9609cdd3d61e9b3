use crate::behaviour::Entity;
use crate::behaviour::carrier::carried;
use crate::behaviour::gateway::virtual_router;
use crate::fabric::PresenceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-gateway-two-actives",
        severity: Severity::Error,
        summary: "routers that share a gateway address do not hear each other",
        explain: "The routers of a shared address tell each other by VRRP who is active. If their \
              segment does not connect them, or their virtual router identifiers differ, each \
              takes itself for the only one: both are Active, and answer from two places.",
        sources: &["RFC 9568 section 6.4", "RFC 9568 section 7.1"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-8] 25G"

[[segment]]
name = "tides-web"
vlan = 310
subnet = "10.80.31.0/24"
gateway = "10.80.31.1"
gateway_kind = "vrrp"
address = "10.80.31.2/24"
on = "kelp-*"
differs = [{ on = "kelp-b", address = "10.80.31.3/24" }]

[[port]]
on = "kelp-*"
ports = "p8"
tagged = "310"
"#,
        mend: &[(
            "tagged = \"310\"\n",
            "tagged = \"310\"\n\n[cabling]\nruns = \"kelp-a p8 -- kelp-b p8\"\n",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, segment) in fabric.segments() {
        let active = cx.state.active_routers(id);
        // Sides of a pair and VTEPs that don't hear each other are told as such.
        let apart = |a: PresenceId, b: PresenceId| {
            let switches = [a, b].map(|presence| fabric.presence(presence).switch);
            let tunnelled =
                [a, b].iter().all(|&presence| cx.state.evpn().instance(presence).is_some());
            let ids = [a, b].map(|presence| virtual_router(fabric.settings_at(presence)));
            ids[0] != ids[1] || (fabric.pair_of(switches[0], switches[1]).is_none() && !tunnelled)
        };
        let Some((&one, &other)) = active.iter().enumerate().find_map(|(index, one)| {
            active[..index].iter().find(|&&other| apart(*one, other)).map(|other| (one, other))
        }) else {
            continue;
        };
        let ids = [one, other].map(|presence| virtual_router(fabric.settings_at(presence)));
        let apart_by_id = ids[0] != ids[1];
        if !apart_by_id && is_told(cx, one, other) {
            continue;
        }
        let place = |presence: PresenceId| {
            let settings = fabric.settings_at(presence);
            let of_addresses = || {
                let own = settings.addresses.first().map(|address| address.span);
                own.or(settings.gateways.first().map(|gateway| gateway.span))
            };
            let of_id = apart_by_id.then_some(settings.vrrp_id.span);
            of_id.or_else(of_addresses).unwrap_or(segment.name.span)
        };
        let name = |presence: PresenceId| fabric.device_name(fabric.presence(presence).switch);
        let (wire, remedy) = match apart_by_id {
            true => (
                format!(
                    "both answer for the gateway, one as virtual router {}, one as {}: hosts are \
                     split between two MAC addresses, and neither takes over for the other",
                    ids[1], ids[0]
                ),
                "give the segment one `vrrp_id` on all its routers",
            ),
            false => (
                "both answer for the gateway with one MAC address: switches learn it now here, now \
                 there"
                    .to_owned(),
                "let the segment connect the two: carry its VLAN on a link between them, or give it \
                 a VNI on both",
            ),
        };
        out.report(
            place(one),
            format!("{} is Active", name(one)),
            format!(
                "{} and {} are both Active for the gateway of {}",
                name(other),
                name(one),
                segment.name.value
            ),
        )
        .related(place(other), format!("{} is Active too", name(other)))
        .wire(wire)
        .remedy(remedy)
        .about(fabric.presence(one).switch)
        .about(fabric.presence(other).switch)
        .about_name(&segment.name.value);
    }
}

/// Whether what parts the two is told as a finding of its own: a tree that cuts the VLAN, or a link that is down.
fn is_told(cx: &Context<'_>, one: PresenceId, other: PresenceId) -> bool {
    let (fabric, carriers) = (cx.fabric, cx.state.carriers());
    let Some(vlan) = fabric.presence(one).vlan.map(|vlan| vlan.value) else { return false };
    // A tree that closes the way on which the VLAN would have gone is told as that.
    if cx.state.trees().cuts().iter().any(|cut| cut.vlans.contains(vlan)) {
        return true;
    }
    let switches = [one, other].map(|presence| fabric.presence(presence).switch);
    let told = ["port-down-in-use", "cable-speed-clash"];
    let down = told.iter().flat_map(|rule| cx.state.causes().of(rule)).filter_map(|cause| {
        let cable = match cause.entity {
            Entity::Port(port) => fabric.link(port)?.0,
            Entity::Cable(cable) => cable,
            _ => return None,
        };
        Some(fabric.cable(cable).ends.map(|end| end.value))
    });
    down.into_iter().any(|ends| {
        let carry = ends.iter().all(|&port| {
            carried(fabric, port)
                .is_some_and(|(tagged, untagged)| tagged.contains(vlan) || untagged == Some(vlan))
        });
        let devices = ends.map(|port| fabric.port(port).device);
        let joins = |near: usize, far: usize| {
            carriers.joins(switches[0], devices[near], vlan)
                && carriers.joins(switches[1], devices[far], vlan)
        };
        carry && (joins(0, 1) || joins(1, 0))
    })
}
