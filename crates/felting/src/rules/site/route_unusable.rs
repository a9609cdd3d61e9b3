use std::collections::BTreeMap;

use rustc_hash::FxHashSet;

use super::meant_by;
use crate::diagnostic::{Span, some_of};
use crate::fabric::{DeviceId, StaticRoute, Via, WanId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "site-route-unusable",
        severity: Severity::Error,
        summary: "a route by a WAN path that is slower than it allows, or ends elsewhere",
        explain: "A route with a bound on the delay is used only while its path is within it. Here none of the paths \
              that routes to these prefixes lead by is, so that the switch sends elsewhere, or nowhere at all. Nor is one \
              used by a path that does not end at its switch.",
        sources: &["RFC 1812 section 5.2.4.3"],
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
within = "3ms"

[[route]]
on = "skerry-a"
to = ["10.64.9.0/24", "10.64.8.0/24"]
via = "fibre"
"#
        ),
        mend: &[("within = \"3ms\"", "within = \"5ms\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    ends_elsewhere(cx, out);
    let mut said: FxHashSet<Span> = FxHashSet::default();
    let beyond = |route: &StaticRoute| match route.via.value {
        Via::Wan(wan) => route.is_beyond(fabric.wan(wan)).then_some(wan),
        _ => None,
    };
    for route in fabric.static_routes() {
        let (Some(wan), Some(within)) = (beyond(route), route.within) else { continue };
        let other = fabric.static_routes().iter().any(|other| {
            other.device == route.device
                && other.to.value == route.to.value
                && other.vrf.map(|vrf| vrf.value) == route.vrf.map(|vrf| vrf.value)
                && beyond(other).is_none()
        });
        if other || !said.insert(within.span) {
            continue;
        }
        let wan = fabric.wan(wan);
        let Some(delay) = wan.delay else { continue };
        let name = fabric.device_name(route.device);
        let toward = |router| {
            let mut all = meant_by(fabric, route).into_iter();
            all.any(|address| cx.state.underlay().wans_toward(fabric, router, address).is_ok())
        };
        let elsewhere = fabric.device(route.device).router.is_some_and(toward);
        out.report(
            within.span,
            format!("at most {}", within.value),
            format!(
                "{name} never uses its route to {}: {} takes {}",
                route.to.value, wan.name.value, delay.value
            ),
        )
        .related(delay.span, format!("{} takes {}", wan.name.value, delay.value))
        .severity(if elsewhere { Severity::Warning } else { Severity::Error })
        .wire(match elsewhere {
            true => format!("{name} sends what is for {} by another route", route.to.value),
            false => format!("{name} has no route to {}, and drops what is for it", route.to.value),
        })
        .remedy(format!("allow {} or more, or add a [[route]] by a faster path", delay.value))
        .about(route.device)
        .about_name(&wan.name.value);
    }
}

/// Routes by a WAN path that does not end at their switch.
fn ends_elsewhere(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut of_path: BTreeMap<(Span, WanId), Vec<DeviceId>> = BTreeMap::new();
    for route in fabric.static_routes() {
        let Via::Wan(wan) = route.via.value else { continue };
        let mut ends = fabric.wan(wan).ends.iter().map(|end| fabric.port(end.value).device);
        if ends.all(|end| end != route.device) {
            let switches = of_path.entry((route.via.span, wan)).or_default();
            if !switches.contains(&route.device) {
                switches.push(route.device);
            }
        }
    }
    for ((span, wan), switches) in of_path {
        let wan = fabric.wan(wan);
        let names: Vec<&str> = switches.iter().map(|&switch| fabric.device_name(switch)).collect();
        let (who, has) = (some_of(&names), if names.len() == 1 { "has" } else { "have" });
        let draft = out
            .report(
                span,
                format!("does not end at {who}"),
                format!(
                    "{who} {has} a route by the WAN path {}, which does not end there",
                    wan.name.value
                ),
            )
            .related(wan.name.span, "ends at other switches")
            .severity(Severity::Error)
            .wire(format!(
                "{who} never {} the route: what it is for goes elsewhere, or is dropped",
                if names.len() == 1 { "uses" } else { "use" }
            ))
            .remedy(format!(
                "take {who} out of the [[route]], or lead it by a switch that the path ends at"
            ))
            .about_name(&wan.name.value);
        switches.iter().fold(draft, |draft, &switch| draft.about(switch));
    }
}
