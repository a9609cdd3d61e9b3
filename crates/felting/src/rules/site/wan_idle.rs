use super::site_of;
use crate::diagnostic::{At, some_of};
use crate::fabric::{DeviceId, Fabric, InterfacePlace, PortId, Via, Wan, WanId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "site-wan-idle",
        severity: Severity::Warning,
        summary: "a WAN path that one end has routes over, and the other has none",
        explain: "Packets go over a path where routes lead over it. Where only one end has some, what comes by the path is \
              answered by another one, and when that is lost the path is of no use: nothing comes back.",
        sources: &["RFC 1812 section 5.2.4.3"],
        broken: concat!(
            part!(sites),
            r#"
[[site]]
name = "skerry"
on = "skerry-a"
"#,
            part!(wan),
            part!(wan_links),
            r#"
[[wan]]
name = "radio"
ends = ["inlet-a p53", "skerry-a p50"]
mtu = 1600

[[interface]]
on = "inlet-a"
port = "p53"
address = "198.51.100.5/31"

[[interface]]
on = "skerry-a"
port = "p50"
address = "198.51.100.4/31"

[[route]]
on = "inlet-a"
to = ["10.64.40.0/26", "10.64.8.41/32"]
via = "fibre"

[[route]]
on = "inlet-a"
to = ["10.64.40.0/26", "10.64.8.41/32"]
via = "radio"

[[route]]
on = "skerry-a"
to = ["10.64.9.0/24", "10.64.8.0/24"]
via = "fibre"
"#
        ),
        mend: &[(
            "on = \"skerry-a\"\nto = [\"10.64.9.0/24\", \"10.64.8.0/24\"]\nvia = \"fibre\"\n",
            "on = \"skerry-a\"\nto = [\"10.64.9.0/24\", \"10.64.8.0/24\"]\nvia = \"fibre\"\n\n[[route]]\non = \"skerry-a\"\nto = [\"10.64.9.0/24\", \"10.64.8.0/24\"]\nvia = \"radio\"\n",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, wan) in fabric.wans() {
        let sites = wan.ends.map(|end| site_of(fabric, fabric.port(end.value).device));
        let apart = sites[0].is_some() && sites[1].is_some() && sites[0] != sites[1];
        // What has the wrong tag, or ends nowhere, is told as that.
        let sound = wan.wrong_tags(fabric).next().is_none()
            && wan.ends.iter().all(|end| attached(fabric, end.value));
        if !apart || !sound || wan.ends.iter().any(|end| speaks(cx, end.value)) {
            continue;
        }
        for (end, other) in [(0, 1), (1, 0)] {
            if leads(fabric, id, wan, end) || !leads(fabric, id, wan, other) {
                continue;
            }
            let [Some(here), Some(there)] = [sites[end], sites[other]] else { continue };
            // A site that has no route to the other at all is told as that.
            let others: Vec<&str> = others(fabric, id, [here, there]);
            if others.is_empty() {
                continue;
            }
            report(fabric, wan, [end, other], &others, out);
        }
    }
}

fn report(
    fabric: &Fabric,
    wan: &Wan,
    [end, other]: [usize; 2],
    others: &[&str],
    out: &mut Findings<'_>,
) {
    let at = |end: usize| -> (At<PortId>, DeviceId) {
        (wan.ends[end], fabric.port(wan.ends[end].value).device)
    };
    let ((port, device), (far_port, far)) = (at(end), at(other));
    let (name, twin) = (fabric.device_name(device), fabric.device_name(far));
    let path = &wan.name.value;
    let others = some_of(others);
    out.report(
        port.span,
        format!("{name} has no route by {path}"),
        format!("{name} has no route by the WAN path {path}, and {twin} at its other end has"),
    )
    .related(far_port.span, format!("{twin} has routes by it"))
    .wire(format!(
        "what {twin} sends by {path} is answered by {others}; when that is lost, nothing comes back by {path}"
    ))
    .remedy(format!(
        "add a [[route]] at {name} with `via = \"{path}\"`, as it has one by {others}, or take those of {twin} out"
    ))
    .about(device)
    .about(far)
    .about_name(path);
}

/// Whether something routes on a port.
fn attached(fabric: &Fabric, port: PortId) -> bool {
    let router = fabric.router_of(fabric.port(port).device);
    router.is_some_and(|own| fabric.interfaces_at(own, InterfacePlace::Port(port)).next().is_some())
}

/// Whether a neighbour is found by a protocol on a port, which tells routes by itself.
fn speaks(cx: &Context<'_>, port: PortId) -> bool {
    let fabric = cx.fabric;
    let router = fabric.router_of(fabric.port(port).device);
    router.is_some_and(|own| {
        fabric.interfaces_at(own, InterfacePlace::Port(port)).any(|id| {
            let adjacency = cx.state.underlay().adjacency_of(id);
            adjacency.is_some_and(|adjacency| adjacency.fault.is_none())
        })
    })
}

/// Whether a switch at an end of a path, or another of its site, has a route over it.
fn leads(fabric: &Fabric, id: WanId, wan: &Wan, end: usize) -> bool {
    let device = fabric.port(wan.ends[end].value).device;
    let far = fabric.port(wan.ends[1 - end].value).device;
    fabric.static_routes().iter().any(|route| match route.via.value {
        // A route that wants a faster path is never used.
        Via::Wan(by) => {
            by == id
                && !route.is_beyond(wan)
                && site_of(fabric, route.device) == site_of(fabric, device)
        }
        Via::Device(by) => route.device == device && by == far,
        Via::Address(by) => {
            route.device == device
                && fabric.interfaces_with(by).iter().any(|&one| fabric.interface(one).device == far)
        }
    })
}

/// The other paths between two sites.
fn others(fabric: &Fabric, id: WanId, sites: [crate::fabric::SiteId; 2]) -> Vec<&str> {
    let between = |wan: &Wan| {
        let ends = wan.ends.map(|end| site_of(fabric, fabric.port(end.value).device));
        sites.iter().all(|site| ends.contains(&Some(*site)))
    };
    let other = fabric.wans().filter(|&(other, wan)| other != id && between(wan));
    other
        .filter(|&(other, wan)| leads(fabric, other, wan, 0) && leads(fabric, other, wan, 1))
        .map(|(_, wan)| wan.name.value.as_str())
        .collect()
}
