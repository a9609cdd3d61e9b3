use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-loopback-not-host-prefix",
        severity: Severity::Warning,
        summary: "a loopback is written with the prefix of a subnet",
        explain: "What is advertised for a loopback should be the one address. With a shorter prefix \
              the switch claims all addresses of the subnet, others' loopbacks among them: \
              packets for one that is down, or not yet known, end here.",
        sources: &["RFC 2328 section 12.4.1.1", "RFC 4632 section 3.1"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]

[[router]]
on = "kelp-b"
loopback = "10.64.8.12/24"
"#
        ),
        mend: &[("10.64.8.12/24", "10.64.8.12")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, router) in fabric.routers() {
        for loopback in router.loopbacks.iter().filter(|loopback| !loopback.is_host()) {
            let name = fabric.device_name(router.device);
            out.report(
                loopback.span,
                format!("expected {} alone", loopback.address()),
                format!("the loopback of {name} claims all of {}", loopback.prefix()),
            )
            .related(fabric.device(router.device).name.span, format!("{name} is written here"))
            .wire(format!(
                "packets for any address of {} that nobody else advertises go to {name} \
                 and are dropped there",
                loopback.prefix()
            ))
            .remedy(format!("write {} without a prefix length", loopback.address()))
            .about(router.device);
        }
    }
}
