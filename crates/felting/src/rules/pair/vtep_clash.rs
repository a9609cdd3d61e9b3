use std::net::IpAddr;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use crate::diagnostic::{At, Span};
use crate::fabric::{DeviceId, Fabric};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-vtep-clash",
        severity: Severity::Error,
        summary: "the shared VTEP address of a pair is missing on a side, different, or a stranger's",
        explain: "The rest of the fabric sends tunnels to the pair by one address, and either side \
              takes them. A side without it, or with another, drops half of them; a stranger \
              with it gets what is the pair's.",
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
vtep = "10.64.9.11"
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[51-52]"
tagged = "310,3900"

[[interface]]
on = "kelp-a"
vlan = 3900
address = "10.64.3.0/31"

[[interface]]
on = "kelp-b"
vlan = 3900
address = "10.64.3.1/31"

[[pair.side]]
switch = "kelp-b"
vtep = "10.64.9.12"
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
        mend: &[("vtep = \"10.64.9.12\"", "vtep = \"10.64.9.11\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let holders = holders(fabric);
    for (id, pair) in fabric.pairs() {
        let sides = pair.sides.each_ref().map(|side| side.switch.value);
        let overlays = sides.map(|side| fabric.overlay_of(side));
        let [Some(a), Some(b)] = overlays else { continue };
        let (here, there) = (fabric.device_name(sides[0]), fabric.device_name(sides[1]));
        if a.vtep.map(|vtep| vtep.value) != b.vtep.map(|vtep| vtep.value) {
            let told = |vtep: Option<At<IpAddr>>| {
                vtep.map_or_else(|| "no VTEP address".to_owned(), |vtep| vtep.value.to_string())
            };
            let place = |vtep: Option<At<IpAddr>>| vtep.map_or(pair.name.span, |vtep| vtep.span);
            out.report(
                place(b.vtep),
                format!("{there}: {}", told(b.vtep)),
                format!(
                    "the sides of {} have not one VTEP address: {} on {here}, {} on {there}",
                    pair.name.value,
                    told(a.vtep),
                    told(b.vtep)
                ),
            )
            .related(
                if place(a.vtep) == place(b.vtep) {
                    pair.sides[0].switch.span
                } else {
                    place(a.vtep)
                },
                format!("{here}: {}", told(a.vtep)),
            )
            .wire(
                "tunnels to the pair that reach the side without the address are \
                 dropped: half of the traffic is lost"
                    .to_owned(),
            )
            .remedy("give both sides the same `vtep`, best on the pair itself".to_owned())
            .about(sides[0])
            .about(sides[1]);
            continue;
        }
        let Some(shared) = a.vtep else { continue };
        let stranger = holders.get(&shared.value).into_iter().flatten().find(|(device, _)| {
            !sides.contains(device)
                && !sides.iter().any(|&side| fabric.same_number(side, *device))
                // Of two pairs with one address the later tells it.
                && fabric.device(*device).pair.is_none_or(|(other, _)| other < id)
        });
        if let Some(&(device, span)) = stranger {
            let name = fabric.device_name(device);
            out.report(
                span,
                format!("{name} has it too"),
                format!(
                    "{name} has {}, the VTEP address of the pair {}",
                    shared.value, pair.name.value
                ),
            )
            .related(
                if shared.span == span { pair.name.span } else { shared.span },
                format!("VTEP address of {}", pair.name.value),
            )
            .wire(format!(
                "tunnels to {} go to whichever is nearer, {name} among them",
                pair.name.value
            ))
            .remedy(format!("give {name} an address of its own"))
            .about(sides[0])
            .about(device);
        }
    }
}

/// The switches that have each address, as a loopback or as their VTEP's, and where.
fn holders(fabric: &Fabric) -> FxHashMap<IpAddr, SmallVec<[(DeviceId, Span); 2]>> {
    let mut holders: FxHashMap<IpAddr, SmallVec<[(DeviceId, Span); 2]>> = FxHashMap::default();
    for (_, router) in fabric.routers() {
        let loopbacks = router.loopbacks.iter().map(|one| (one.address(), one.span));
        let vtep = fabric.vtep_of(router.device).map(|vtep| (vtep.value, vtep.span));
        for (address, span) in loopbacks.chain(vtep) {
            holders.entry(address).or_default().push((router.device, span));
        }
    }
    holders
}
