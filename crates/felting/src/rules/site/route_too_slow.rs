use std::collections::{BTreeMap, BTreeSet};

use super::{meant_by, site_of};
use crate::diagnostic::some_of;
use crate::fabric::{DeviceId, Fabric, SiteId, StaticRoute, Via, Wan, WanId};
use crate::rules::check::Draft;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Interval;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "site-route-too-slow",
        severity: Severity::Warning,
        summary: "a route between sites takes a path slower than a site allows",
        explain: "A path within the bound is there, but packets are routed by one that is not, or by both. Of two \
              routes that are as good some connections take the slow path for as long as they last.",
        sources: &["RFC 1812 section 5.2.4.3", "RFC 2992 section 1"],
        broken: concat!(
            part!(sites),
            r#"
[[site]]
name = "skerry"
on = "skerry-a"
delay_bound = "5ms"
"#,
            part!(wan),
            part!(wan_links),
            r#"
[[wan]]
name = "radio"
ends = ["inlet-a p53", "skerry-a p50"]
delay = "11ms"
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
via = "radio"

[[route]]
on = "skerry-a"
to = ["10.64.9.0/24", "10.64.8.0/24"]
via = "fibre"
"#
        ),
        mend: &[("via = \"radio\"", "via = \"fibre\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // What is wrong with a path is wrong for all that is routed by it.
    let mut found: BTreeMap<(WanId, SiteId), Vec<&StaticRoute>> = BTreeMap::new();
    for route in fabric.static_routes() {
        let Via::Wan(id) = route.via.value else { continue };
        let wan = fabric.wan(id);
        let Some(delay) = wan.delay.filter(|_| sends_by(cx, route, id)) else { continue };
        for site in joined(fabric, wan) {
            let Some(bound) = fabric.site(site).delay_bound else { continue };
            let better = better(fabric, site, bound.value);
            if better.is_some() && delay.value > bound.value {
                found.entry((id, site)).or_default().push(route);
            }
        }
    }
    for ((id, site), routes) in found {
        report(fabric, id, site, &routes, out);
    }
}

/// The first path of a site that is within its bound.
fn better(fabric: &Fabric, site: SiteId, bound: Interval) -> Option<&Wan> {
    let mut all = fabric.wans().map(|(_, wan)| wan);
    all.find(|other| {
        joined(fabric, other).contains(&site)
            && other.wrong_tags(fabric).next().is_none()
            && other.delay.is_some_and(|delay| delay.value <= bound)
    })
}

fn report(
    fabric: &Fabric,
    id: WanId,
    site: SiteId,
    routes: &[&StaticRoute],
    out: &mut Findings<'_>,
) {
    let (wan, route) = (fabric.wan(id), routes[0]);
    let name = &fabric.site(site).name;
    let (Some(delay), Some(bound)) = (wan.delay, fabric.site(site).delay_bound) else { return };
    let Some(better) = better(fabric, site, bound.value) else { return };
    let devices: BTreeSet<DeviceId> = routes.iter().map(|route| route.device).collect();
    let names: Vec<&str> = devices.iter().map(|&device| fabric.device_name(device)).collect();
    let draft = out
        .report(
            route.via.span,
            format!("by {}, which takes {}", wan.name.value, delay.value),
            match names[..] {
                [name_of] => format!(
                    "{name_of} routes what is for {} by {}, slower than {} allows",
                    route.to.value, wan.name.value, name.value
                ),
                _ => format!(
                    "{} route what is for other sites by {}, slower than {} allows",
                    some_of(&names),
                    wan.name.value,
                    name.value
                ),
            },
        )
        .related(bound.span, format!("at most {}", bound.value))
        .wire(format!(
            "{} each way, where {} would take {}",
            delay.value,
            better.name.value,
            better.delay.map(|delay| delay.value.to_string()).unwrap_or_default()
        ))
        .remedy(remedy(fabric, route.device, better))
        .about_name(&name.value)
        .about_name(&wan.name.value);
    devices.into_iter().fold(draft, Draft::about);
}

/// Whether a switch sends something of what a route is for by a path.
fn sends_by(cx: &Context<'_>, route: &StaticRoute, wan: WanId) -> bool {
    let fabric = cx.fabric;
    let Some(at) = fabric.device(route.device).router.filter(|_| route.vrf.is_none()) else {
        return false;
    };
    let underlay = cx.state.underlay();
    meant_by(fabric, route).into_iter().any(|address| {
        underlay.wans_toward(fabric, at, address).is_ok_and(|wans| wans.contains(&wan))
    })
}

/// The sites at the ends of a path.
fn joined(fabric: &Fabric, wan: &Wan) -> Vec<SiteId> {
    wan.ends.iter().filter_map(|end| site_of(fabric, fabric.port(end.value).device)).collect()
}

/// By what the route should lead: the better path, or the switch of the same site at which that ends.
fn remedy(fabric: &Fabric, device: DeviceId, better: &Wan) -> String {
    let name = &better.name.value;
    let ends = better.ends.map(|end| fabric.port(end.value).device);
    let near = ends.into_iter().find(|&end| site_of(fabric, end) == site_of(fabric, device));
    match near {
        Some(near) if near != device => {
            format!("let this [[route]] lead to {}, where {name} ends", fabric.device_name(near))
        }
        _ => format!("let this [[route]] lead by {name}"),
    }
}
