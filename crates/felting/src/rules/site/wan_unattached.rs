use crate::fabric::InterfacePlace;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "site-wan-unattached",
        severity: Severity::Error,
        summary: "an end of a WAN path has no routed interface",
        explain: "A path over a WAN begins at a port, and packets get onto it by a routed interface there: the \
              port's own, or a sub-interface with the path's tag. Without one, routes by the path lead \
              nowhere.",
        sources: &["RFC 1812 section 5.2.1"],
        broken: concat!(
            part!(sites),
            part!(skerry),
            part!(wan),
            r#"
[[interface]]
on = "inlet-a"
port = "p52"
tag = 100
address = "198.51.100.1/31"

[[interface]]
on = "skerry-a"
port = "p50"
tag = 100
address = "198.51.100.3/31"
"#,
            part!(wan_routes)
        ),
        mend: &[("port = \"p50\"", "port = \"p49\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, wan) in fabric.wans() {
        for end in &wan.ends {
            let device = fabric.port(end.value).device;
            let attached = fabric.router_of(device).is_some_and(|router| {
                fabric.interfaces_at(router, InterfacePlace::Port(end.value)).next().is_some()
            });
            if attached {
                continue;
            }
            let (name, port) = (fabric.device_name(device), fabric.port_name(end.value));
            out.report(
                end.span,
                format!("{name} has no interface on {port}"),
                format!(
                    "the WAN path {} ends at {name} {port}, where nothing routes",
                    wan.name.value
                ),
            )
            .related(wan.name.span, "the path")
            .wire(format!("what {name} routes by {} goes nowhere", wan.name.value))
            .remedy(format!(
                "add an [[interface]] on {name} with `port = \"{port}\"` and an address"
            ))
            .about(device)
            .about_name(&wan.name.value);
        }
    }
}
