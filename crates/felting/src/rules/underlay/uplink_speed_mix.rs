use super::uplinks;
use crate::fabric::PortId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "underlay-uplink-speed-mix",
        severity: Severity::Warning,
        summary: "the uplinks of a leaf have different speeds",
        explain: "Equal-cost paths are filled equally, whatever they carry: the slow one is full \
              while the quick one has room.",
        sources: &["RFC 2992 section 1", "RFC 7938 section 6.1"],
        broken: r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = ["p[1-3] 100G", "p4 40G"]

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = ["p[1-48] 25G", "p[49-51] 100G", "p52 40G"]

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[underlay]]
on = ["crest-*", "kelp-*"]

[cabling]
runs = ["kelp-a p[49-50] -- crest-[1-2] p1", "kelp-b p49 -- crest-1 p2", "kelp-b p52 -- crest-2 p4"]
"#,
        mend: &[("kelp-b p52 -- crest-2 p4", "kelp-b p50 -- crest-2 p2")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, router) in fabric.routers() {
        let mut up = uplinks(fabric, router.device);
        up.retain(|(port, _)| cx.state.far(*port).is_some());
        let speed = |port: PortId| fabric.port(port).speed;
        let (Some(&(quick, _)), Some(&(slow, _))) = (
            up.iter().max_by_key(|(port, _)| speed(*port)),
            up.iter().min_by_key(|(port, _)| speed(*port)),
        ) else {
            continue;
        };
        if speed(quick) == speed(slow) {
            continue;
        }
        let name = fabric.device_name(router.device);
        out.report(
            fabric.port(slow).span.0,
            format!("{} has {}", fabric.port_name(slow), speed(slow)),
            format!("the uplinks of {name} have different speeds"),
        )
        .related(
            fabric.port(quick).span.0,
            format!("{} has {}", fabric.port_name(quick), speed(quick)),
        )
        .wire(format!(
            "{} gets as much as {}, and drops packets while the other has room",
            fabric.port_name(slow),
            fabric.port_name(quick)
        ))
        .remedy("use ports of one speed for uplinks".to_owned())
        .about(router.device);
    }
}
