use std::collections::BTreeMap;

use crate::diagnostic::Span;
use crate::fabric::{DeviceId, InterfaceId, InterfacePlace, LagId, PairId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{UnderlayProtocol, VlanId};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-escape-missing",
        severity: Severity::Warning,
        summary: "a pair has no routed adjacency over its peer link",
        explain: "Both sides attract tunnels for the shared VTEP. A side that loses all its uplinks \
              can still hand what its hosts send to the other side, if the two are routing \
              neighbours over the peer link; else it drops it, though its hosts' links are up.",
        sources: &["RFC 7348 section 4"],
        broken: concat!(
            part!(pair),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
gateway_mac = "02:46:00:00:00:01"
"#,
            r#"
[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[51-52]"
tagged = "310,3900"

"#,
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
"#,
            r#"
[[accept]]
rule = "segment-single-vtep"
on = "tides-web"
reason = "an example"
"#
        ),
        mend: &[(
            "tagged = \"310,3900\"\n",
            "tagged = \"310,3900\"\n\n[[interface]]\non = \"kelp-*\"\nvlan = \
         3900\naddress = \"10.64.3.0/31\"\ndiffers = [{ on = \"kelp-b\", \
         address = \"10.64.3.1/31\" }]\n",
        )],
    },
    check,
};

/// A pair whose sides are no routing neighbours, by its peer link.
struct Missing {
    pair: PairId,
    link: LagId,
    /// What that carries, in words.
    lacks: String,
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut of_place: BTreeMap<Span, Vec<Missing>> = BTreeMap::new();
    for (id, pair) in fabric.pairs() {
        let sides = pair.sides.each_ref().map(|side| side.switch.value);
        let (Some(router), Some(_)) = (fabric.router_of(sides[0]), fabric.router_of(sides[1]))
        else {
            continue;
        };
        let runs = |side: DeviceId| {
            fabric
                .router_of(side)
                .and_then(|router| router.protocol)
                .is_some_and(|p| p.value != UnderlayProtocol::None)
        };
        if !(runs(sides[0]) && runs(sides[1])) || fabric.overlay_of(sides[0]).is_none() {
            continue;
        }
        // A peer link that one side does not have is told as that.
        if pair.sides.iter().any(|side| side.peer_link.is_none()) {
            continue;
        }
        let to_other = |&id: &InterfaceId| {
            fabric.interface_far(id).is_some_and(|far| fabric.interface(far).device == sides[1])
        };
        let carried = |vlan: VlanId| {
            pair.sides.iter().all(|side| side.links().any(|link| fabric.lag(link).carries(vlan)))
        };
        let own: Vec<InterfaceId> = router.interfaces.iter().filter(to_other).collect();
        let not_carried = own.iter().find_map(|&id| match fabric.interface(id).place {
            InterfacePlace::Vlan(vlan) if !carried(vlan) => Some(vlan),
            _ => None,
        });
        let facing = own.iter().any(|&id| match fabric.interface(id).place {
            InterfacePlace::Vlan(vlan) => carried(vlan),
            _ => true,
        });
        let Some(link) = pair.sides[0].peer_link.filter(|_| !facing) else { continue };
        let lacks = not_carried.map_or_else(
            || "the peer link carries VLANs only".to_owned(),
            |vlan| format!("the peer link does not carry VLAN {vlan} of their interfaces"),
        );
        // One list of VLANs for several peer links is wrong once.
        let place = not_carried.map_or(pair.name.span, |_| fabric.lag(link.value).tagged.span);
        of_place.entry(place).or_default().push(Missing { pair: id, link: link.value, lacks });
    }
    for (_, all) in of_place {
        let (pair, link, lacks) = (fabric.pair(all[0].pair), all[0].link, &all[0].lacks);
        let sides = pair.sides.each_ref().map(|side| side.switch.value);
        let more = match all.len() {
            1 => String::new(),
            2 => ", nor has one more pair".to_owned(),
            many => format!(", nor have {} more pairs", many - 1),
        };
        let (here, there) = (fabric.device_name(sides[0]), fabric.device_name(sides[1]));
        let draft = out
            .report(
                pair.name.span,
                format!("{here} and {there} are no routing neighbours"),
                format!("{here} and {there} have no routed adjacency over their peer link{more}"),
            )
            .related(fabric.lag(link).name.span, lacks.as_str())
            .wire(format!(
                "when {here} loses its uplinks, what its hosts send to other leaves is \
             dropped, though their links stay up"
            ))
            .remedy(
                "add an [[interface]] with a VLAN of its own and an address on both \
             sides, and carry that VLAN on the peer link"
                    .to_owned(),
            );
        let sides = all.iter().flat_map(|one| &fabric.pair(one.pair).sides);
        sides.fold(draft, |draft, side| draft.about(side.switch.value));
    }
}
