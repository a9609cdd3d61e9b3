use rustc_hash::FxHashMap;

use super::on_vteps;
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, VrfId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::RouteDistinguisher;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-rd-reused",
        severity: Severity::Error,
        summary: "two IP-VRFs have one route distinguisher",
        explain: "Without a distinguisher of its own, a route of one VRF that has the same prefix as \
              a route of another is the same route to BGP, and one of the two is lost on the \
              way.",
        sources: &["RFC 4364 section 4.1"],
        broken: concat!(
            part!(fabric),
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"
rd = "10.64.8.11:32769"
differs = [{ on = "kelp-b", rd = "10.64.8.11:032769" }]
"#
        ),
        mend: &[("10.64.8.11:032769", "10.64.8.12:32769")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut first: FxHashMap<RouteDistinguisher, (VrfId, DeviceId, Span)> = FxHashMap::default();
    for (id, vrf) in fabric.vrfs() {
        for (place, at) in on_vteps(fabric, id) {
            let Some(rd) = cx.state.evpn().tenant(id, place).and_then(|own| own.rd) else {
                continue;
            };
            let written = at.rd.map_or(vrf.name.span, |rd| rd.span);
            let &mut (other, owner, known) = first.entry(rd).or_insert((id, at.switch, written));
            let router_id = |device| {
                fabric.router_of(device).and_then(|router| router.router_id).map(|id| id.value)
            };
            let told = owner != at.switch
                && router_id(owner).is_some()
                && router_id(owner) == router_id(at.switch);
            if (other, owner) == (id, at.switch) || told || written == known {
                continue;
            }
            let (name, twin) = (fabric.device_name(at.switch), fabric.device_name(owner));
            out.report(
                written,
                format!("{} on {name}", vrf.name.value),
                format!("two IP-VRFs have the route distinguisher {rd}"),
            )
            .related(known, format!("{} on {twin}", fabric.vrf(other).name.value))
            .wire("of two routes that say the same, only one gets through".to_owned())
            .remedy("let each switch and VRF have its own, or leave `rd` out".to_owned())
            .about(at.switch)
            .about(owner)
            .about_name(&vrf.name.value);
        }
    }
}
