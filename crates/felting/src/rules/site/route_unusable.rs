use rustc_hash::FxHashSet;

use super::meant_by;
use crate::diagnostic::Span;
use crate::fabric::{StaticRoute, Via};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "site-route-unusable",
        severity: Severity::Error,
        summary: "no WAN path is as fast as a route wants it",
        explain: "A route with a bound on the delay is used only while its path is within it. Here none of the paths \
              that routes to these prefixes lead by is, so that the switch sends elsewhere, or nowhere at all.",
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
