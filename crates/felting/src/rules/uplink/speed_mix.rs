use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-speed-mix",
        severity: Severity::Hint,
        summary: "the NICs of a bond that is no LAG have different speeds",
        explain: "When the host changes to the slower NIC, or a guest is placed on it, what it can send \
              drops with it. In a LAG members of different speed are a matter of their own.",
        sources: &["trade practice: the standby carries what the active one carried"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = ["p1 25G", "p2 10G"]

[[host]]
name = "hull-01"
nics = ["nic1 25G", "nic2 10G"]
bond = { name = "bond0", nics = "nic[1-2]", protocol = "active-standby" }

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[("\"p2 10G\"", "\"p2 25G\""), ("\"nic2 10G\"", "\"nic2 25G\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, bond) in fabric.bonds().filter(|(_, bond)| bond.lag.is_none()) {
        let speed = |port| fabric.port(port).speed;
        let fastest = bond.nics.iter().max_by_key(|nic| speed(nic.value));
        let slowest = bond.nics.iter().min_by_key(|nic| speed(nic.value));
        let (Some(fast), Some(slow)) = (fastest, slowest) else { continue };
        let (high, low) = (speed(fast.value), speed(slow.value));
        if high == low {
            continue;
        }
        let host = fabric.device_name(bond.host);
        let (a, b) = (fabric.port_name(fast.value), fabric.port_name(slow.value));
        out.report(
            fabric.port(slow.value).span.0,
            format!("{b} has {low}"),
            format!("the bond {} of {host} has {a} of {high} and {b} of {low}", bond.name.value),
        )
        .related(bond.name.span, format!("this bond uses both, {a} with {high}"))
        .wire(format!("on {b} the host has {low} for what it had {high} for"))
        .remedy("give both NICs one speed, or make the faster one the active one and accept it")
        .about(bond.host);
    }
}
