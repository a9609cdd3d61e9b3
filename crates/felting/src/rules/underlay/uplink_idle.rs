use std::collections::BTreeMap;

use super::uplinks;
use crate::behaviour::underlay::{Step, Towards};
use crate::diagnostic::{At, Span};
use crate::fabric::{Fabric, InterfaceId, RouterId};
use crate::rules::check::Draft;
use crate::rules::shown::and_more;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::UnderlayProtocol;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-uplink-idle",
        severity: Severity::Warning,
        summary: "a cost keeps everything from one of several uplinks of one speed",
        explain: "Of several ways those of the lowest cost are used, and of equal cost all. Where one of several uplinks costs \
              more, at either end, nothing goes that way until the others are lost.",
        sources: &["RFC 2328 section 16.1", "ISO/IEC 10589 clause 7.2.7"],
        broken: concat!(
            part!(switches),
            part!(loopbacks),
            part!(vtep_addresses),
            part!(uplinks),
            part!(ospf),
            r#"
[[interface]]
on = "kelp-a"
port = "p49"
cost = 500
"#
        ),
        mend: &[("cost = 500", "cost = 10")],
    },
    check,
};

/// An uplink of a router that costs more than another of it.
struct Idle {
    router: RouterId,
    above: RouterId,
    near: InterfaceId,
    far: InterfaceId,
    /// Whether it is what the router sends that is kept from it, and not what is sent to it.
    own: bool,
    cost: u32,
    least: u32,
    /// How many of its uplinks cost more, and how many it has.
    part: (usize, usize),
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // One line may be about many links.
    let mut of_line: BTreeMap<Span, Vec<Idle>> = BTreeMap::new();
    for id in fabric.routers().map(|(id, _)| id) {
        let links = links(cx, id);
        if links.len() < 2 {
            continue;
        }
        for own in [true, false] {
            let cost = |&(near, far): &(InterfaceId, InterfaceId)| -> At<u32> {
                let cost = fabric.interface(if own { near } else { far }).cost;
                At::new(cost.get(), cost.span)
            };
            let least = links.iter().map(|link| cost(link).value).min().unwrap_or_default();
            let dear = links.iter().filter(|link| cost(link).value > least).count();
            for &link in links.iter().filter(|link| cost(link).value > least) {
                let ((near, far), written) = (link, cost(&link));
                let Some(above) = fabric.device(fabric.interface(far).device).router else {
                    continue;
                };
                of_line.entry(written.span).or_default().push(Idle {
                    router: id,
                    above,
                    near,
                    far,
                    own,
                    cost: written.value,
                    least,
                    part: (dear, links.len()),
                });
            }
        }
    }
    for (span, all) in of_line {
        // Elsewhere a longer way may make up for it.
        if is_idle(cx, &all[0]) {
            report(fabric, span, &all, out);
        }
    }
}

/// The links of a router to those above it, with both ends: neighbours by OSPF or IS-IS, of one speed.
fn links(cx: &Context<'_>, id: RouterId) -> Vec<(InterfaceId, InterfaceId)> {
    let fabric = cx.fabric;
    let up = uplinks(fabric, fabric.router(id).device);
    let speed = |port| fabric.port(port).speed;
    if up.iter().any(|&(port, _)| speed(port) != speed(up[0].0)) {
        return Vec::new();
    }
    let links = up.into_iter().filter_map(|(port, _)| {
        let near = fabric.interface_on(port, None)?;
        let adjacency = cx.state.underlay().adjacency_of(near)?;
        let igp = matches!(adjacency.protocol, UnderlayProtocol::Ospf | UnderlayProtocol::Isis);
        (igp && adjacency.fault.is_none()).then(|| (near, adjacency.other(near)))
    });
    links.collect()
}

/// Whether nothing goes by an uplink between its router and another below the same one, the way it is dear.
fn is_idle(cx: &Context<'_>, idle: &Idle) -> bool {
    let fabric = cx.fabric;
    let beside = cx.state.underlay().neighbours(fabric, idle.above);
    let loopback =
        |router: RouterId| fabric.router(router).loopbacks.first().map(|own| own.address());
    let mut others = beside.into_iter().filter(|&other| other != idle.router);
    others.any(|other| {
        let (from, to) = if idle.own { (idle.router, other) } else { (other, idle.router) };
        let Some(address) = loopback(to) else { return false };
        let next = cx.state.next(from, address, &mut Towards::default());
        next.ok().flatten().is_some_and(|next| {
            !next.steps.is_empty()
                && next
                    .steps
                    .iter()
                    .all(|step| !matches!(step, Step::Hop(hop) if hop.to == idle.above))
        })
    })
}

fn report(fabric: &Fabric, span: Span, all: &[Idle], out: &mut Findings<'_>) {
    let idle = &all[0];
    let device = |router: RouterId| fabric.router(router).device;
    let [name, above] = [idle.router, idle.above].map(|router| fabric.device_name(device(router)));
    let [near, far] = [idle.near, idle.far].map(|id| fabric.interface_name(id));
    let more = and_more(all.len() - 1);
    let (dear, links) = idle.part;
    let carry = if dear == 1 { "carries" } else { "carry" };
    let message = match idle.own {
        true => format!(
            "{name} sends nothing to {above} by {near}: it costs {}, another uplink {}{more}",
            idle.cost, idle.least
        ),
        false => format!(
            "nothing is sent to {name} by {above}: its {far} costs {}, that of another {}{more}",
            idle.cost, idle.least
        ),
    };
    let draft = out
        .report(span, format!("cost {}", idle.cost), message)
        .related(fabric.device(device(idle.router)).name.span, format!("{name} has {links} uplinks"))
        .wire(match idle.own {
            true => format!("{dear} of {links} uplinks {carry} nothing that {name} sends, until the others are lost"),
            false => format!("{dear} of {links} uplinks {carry} nothing that is sent to {name}, until the others are lost"),
        })
        .remedy("give the uplinks one cost, at both ends; where one is to stand by, accept this with the reason");
    all.iter().fold(draft, |draft, idle| {
        [idle.router, idle.above].map(device).into_iter().fold(draft, Draft::about)
    });
}
