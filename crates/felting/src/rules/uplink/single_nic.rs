use crate::fabric::DeviceKind;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-single-nic",
        severity: Severity::Hint,
        summary: "a host with one NIC",
        explain: "The NIC, its cable, and the switch at its end are each enough to cut the host off. \
              Some machines have no second NIC: accept the finding for those, with the reason.",
        sources: &["trade practice: no single point of failure"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 1G"

[[host]]
name = "gauge-1"
nics = "nic1 1G"

[cabling]
runs = "gauge-1 nic1 -- kelp-a p1"
"#,
        mend: &[(
            "[cabling]",
            "[[accept]]\nrule = \"uplink-single-nic\"\non = \"gauge-1\"\n\
         reason = \"the controller has one NIC\"\n\n[cabling]",
        )],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, host) in fabric.devices().filter(|(_, device)| device.kind == DeviceKind::Host) {
        let Some(nic) = host.ports.get(0).filter(|_| host.ports.len() == 1) else { continue };
        let name = &host.name.value;
        let Some((_, far)) = fabric.link(nic) else { continue };
        let switch = fabric.device_name(fabric.port(far).device);
        out.report(
            fabric.port(nic).span.0,
            "the only NIC",
            format!("{name} has a single NIC, to {switch}"),
        )
        .related(
            crate::rules::lag::plug(fabric, far).unwrap_or(host.name.span),
            format!("it hangs on {switch}"),
        )
        .wire(format!("{name} is cut off when this cable, NIC or switch fails"))
        .remedy("add a second NIC to the other switch of the pair, or accept it with the reason")
        .when_lost(switch)
        .about(id);
    }
}
