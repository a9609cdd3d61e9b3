use crate::fabric::LagId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::EthernetSegmentMode;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "es-single-active-on-lag",
        severity: Severity::Error,
        summary: "a LAG is on an Ethernet segment of which one leaf forwards",
        explain: "In single-active mode one leaf forwards for each VLAN, and the others block. A \
              host that aggregates its links spreads frames over all of them: what it hashes to \
              a leaf that blocks is lost.",
        sources: &["RFC 7432 section 14.1"],
        broken: concat!(
            part!(shared_host),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
core_isolation = true
"#,
            r#"
"#,
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
"#,
            r#"
[[host]]
name = "silo-1"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]", protocol = "lacp" }
networks = [{ name = "web", tag = 310 }]

[[lag]]
on = "kelp-*"
name = "silo-1"
ports = "p1"
tagged = "310"
ethernet_segment = "02:46:00:00:00:0f/17"
system = "02:46:00:00:00:0f"
ethernet_segment_mode = "single-active"
"#
        ),
        mend: &[("ethernet_segment_mode = \"single-active\"\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, es) in fabric.ethernet_segments() {
        let single = es.legs.iter().copied().find(|&leg| {
            fabric.lag(leg).ethernet_segment_mode.value == EthernetSegmentMode::SingleActive
        });
        let Some(leg) = single.filter(|_| es.legs.len() > 1) else { continue };
        let alike = es.legs.iter().all(|&leg| {
            fabric.lag(leg).ethernet_segment_mode.value == EthernetSegmentMode::SingleActive
        });
        // One far LAG that the members of several legs lead to.
        let far =
            |leg: LagId| {
                fabric.lag(leg).members.iter().find_map(|member| {
                    fabric.lag_of(fabric.link(fabric.member(member).port.value)?.1)
                })
            };
        let Some(host) = far(leg).filter(|_| alike) else { continue };
        if !es.legs.iter().all(|&other| far(other) == Some(host)) {
            continue;
        }
        let mode = fabric.lag(leg).ethernet_segment_mode;
        let (name, lag) = (fabric.device_name(fabric.lag(host).device), fabric.lag(host));
        out.report(
            mode.span,
            "one leaf forwards",
            format!("{name} aggregates its links to an Ethernet segment in single-active mode"),
        )
        .related(
            lag.name.span,
            format!("{} of {name} spreads frames over all links", lag.name.value),
        )
        .wire(format!("what {name} hashes to a leaf that does not forward is dropped"))
        .remedy("use all-active mode, or no LAG on the host".to_owned())
        .about(fabric.lag(leg).device)
        .about(lag.device);
    }
}
