use std::net::IpAddr;

use rustc_hash::FxHashSet;

use super::site_of;
use crate::diagnostic::At;
use crate::fabric::{SiteId, Via, Wan};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "site-wan-unrouted",
        severity: Severity::Error,
        summary: "one site has no route to the other's VTEPs",
        explain: "A tunnel between sites needs a route at either side: to the far VTEPs by the WAN, \
              and back. Where one is missing, packets go one way at most, and sessions do not \
              come up.",
        sources: &["RFC 7348 section 4", "RFC 8365 section 5"],
        broken: concat!(
            part!(sites),
            part!(skerry),
            part!(wan),
            part!(wan_links),
            r#"
[[route]]
on = "inlet-a"
to = ["10.64.40.0/26", "10.64.8.41/32"]
via = "fibre"

[[route]]
on = "skerry-a"
to = "10.64.8.0/24"
via = "fibre"
"#
        ),
        mend: &[("to = \"10.64.8.0/24\"\nvia", "to = [\"10.64.8.0/24\", \"10.64.9.0/24\"]\nvia")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<(SiteId, SiteId)> = FxHashSet::default();
    // What has the wrong tag is told as that.
    let sound = |wan: &Wan| wan.wrong_tags(fabric).next().is_none();
    for (_, wan) in fabric.wans().filter(|(_, wan)| sound(wan)) {
        let sites = wan.ends.map(|end| site_of(fabric, fabric.port(end.value).device));
        let [Some(a), Some(b)] = sites else { continue };
        for (from, to) in [(a, b), (b, a)] {
            if from == to || !said.insert((from, to)) {
                continue;
            }
            let vteps = |site: SiteId| {
                fabric
                    .site(site)
                    .on
                    .iter()
                    .filter(|&&d| !cx.state.is_off(d))
                    .filter_map(|&d| Some((d, fabric.device(d).router?, fabric.vtep_of(d)?)))
            };
            // A leaf that does not even reach its own border has another fault.
            let border = wan
                .ends
                .iter()
                .map(|end| fabric.port(end.value).device)
                .find(|&d| site_of(fabric, d) == Some(from) && !cx.state.is_off(d));
            let door = border.and_then(|device| {
                fabric.router_of(device)?.loopbacks.first().map(|l| l.address())
            });
            let lost = vteps(from).find_map(|(device, router, _)| {
                let inside = door.is_none_or(|door| cx.state.delivers(router, door).is_ok());
                if !inside {
                    return None;
                }
                // A VTEP that its own site does not reach is that site's fault.
                let at_home = |vtep: &At<IpAddr>| {
                    let others = wan.ends.iter().map(|end| fabric.port(end.value).device);
                    let theirs = others.into_iter().find(|&d| site_of(fabric, d) == Some(to));
                    let router = theirs.and_then(|device| fabric.device(device).router);
                    router.is_some_and(|router| cx.state.delivers(router, vtep.value).is_ok())
                };
                let (_, _, vtep) = vteps(to).find(|(.., vtep)| {
                    cx.state.delivers(router, vtep.value).is_err() && at_home(vtep)
                })?;
                Some((device, vtep))
            });
            let Some((device, vtep)) = lost else { continue };
            // A route that is there and wants a faster path is told as that.
            let too_slow = fabric.static_routes().iter().any(|route| {
                let by = |wan| route.is_beyond(fabric.wan(wan));
                site_of(fabric, route.device) == Some(from)
                    && route.to.contains(vtep.value)
                    && matches!(route.via.value, Via::Wan(wan) if by(wan))
            });
            if too_slow {
                continue;
            }
            let (name, here, there) =
                (fabric.device_name(device), &fabric.site(from).name, &fabric.site(to).name);
            out.report(
                here.span,
                format!("{name} is here, for one"),
                format!(
                    "{} has no route to the VTEPs of {}: {} is not reached from {name}",
                    here.value, there.value, vtep.value
                ),
            )
            .related(there.span, format!("{} is here", vtep.value))
            .wire(format!(
                "what {} sends to {} is dropped at its own border",
                here.value, there.value
            ))
            .remedy(format!(
                "add a [[route]] at {} to the VTEPs of {} by the WAN, and advertise it \
                 there (`advertise` with `static`)",
                here.value, there.value
            ))
            .about(device)
            .about_name(&here.value)
            .about_name(&there.value);
        }
    }
}
