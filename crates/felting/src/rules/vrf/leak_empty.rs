use crate::fabric::{DeviceId, Leak};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-leak-empty",
        severity: Severity::Warning,
        summary: "a leak gives nothing: no switch has both VRFs, or the one has no route in the prefixes",
        explain: "A leak passes on those routes of a VRF that its prefixes cover, on the switches that have both VRFs. \
              A prefix that covers none, or a leak that no switch can pass on, does nothing.",
        sources: &["RFC 4364 section 4.3.1"],
        broken: concat!(
            part!(fabric),
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"

[[vrf]]
name = "harbour"
number = 2
vni = 27002
on = "kelp-*"

[[segment]]
name = "tides-web"
number = 310
vrf = "tides"
vlan = 310
vni = 23310
subnet = "10.80.31.0/24"
gateway = "10.80.31.1"
gateway_mac = "02:46:00:00:00:01"
on = "kelp-*"

[[leak]]
from = "tides"
to = "harbour"
prefixes = "10.80.32.0/24"
one_way = true
"#
        ),
        mend: &[("10.80.32.0/24", "10.80.31.0/24")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, leak) in fabric.leaks() {
        let (from, to) = (fabric.vrf(leak.from.value), fabric.vrf(leak.to.value));
        let on: Vec<DeviceId> = from
            .switches
            .iter()
            .map(|at| at.switch)
            .filter(|&switch| leak.is_on(switch) && to.place_of(switch).is_some())
            .collect();
        let names = (&from.name.value, &to.name.value);
        if on.is_empty() {
            // Where it is said to be, and a VRF is missing, is told as that.
            if leak.on.is_none() {
                nowhere(leak, names, out);
            }
            continue;
        }
        let Some(prefixes) = &leak.prefixes else { continue };
        let routes: Vec<_> = on
            .iter()
            .flat_map(|&switch| cx.state.routes_to_leak(leak.from.value, switch))
            .collect();
        for prefix in prefixes {
            if routes.iter().any(|route| prefix.value.covers(&route.prefix)) {
                continue;
            }
            let within = routes.iter().find(|route| route.prefix.covers(&prefix.value));
            let (from, to) = names;
            out.report(
                prefix.span,
                format!("no route of {from} is in {}", prefix.value),
                format!("the leak from {from} to {to} gives nothing of {}: {from} has no route there", prefix.value),
            )
            .related(leak.from.span, format!("the routes of {from}"))
            .wire(format!("{to} gets no route in {} from {from}", prefix.value))
            .remedy(match within {
                Some(route) => format!(
                    "{from} has {}, of which this is a part: name what it has, as a leak passes on routes as they are",
                    route.prefix
                ),
                None => format!("name a prefix that {from} has, or take it out"),
            })
            .about_name(from)
            .about_name(to);
        }
    }
}

fn nowhere(
    leak: &Leak,
    (from, to): (&smol_str::SmolStr, &smol_str::SmolStr),
    out: &mut Findings<'_>,
) {
    out.report(
        leak.from.span,
        format!("no switch has {from} and {to}"),
        format!("the leak from {from} to {to} gives nothing: no switch has both VRFs"),
    )
    .related(leak.to.span, "the other VRF")
    .wire(format!("{to} gets no route of {from}"))
    .remedy("add a switch to both VRFs, such as the border leaves: the leak is made there")
    .about_name(from)
    .about_name(to);
}
