use rustc_hash::FxHashSet;

use super::place;
use crate::diagnostic::Span;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "es-core-isolation-missing",
        severity: Severity::Warning,
        summary: "a leaf of an Ethernet segment stays open when it has lost the underlay",
        explain: "A leaf without any link to the spines goes on attracting frames from its hosts, as \
              their links to it are up, and drops them. If it is told to, it closes its ports of \
              Ethernet segments, and the hosts use the other leaves.",
        sources: &["RFC 7432 section 17.1"],
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
differs = [{ on = "kelp-b", core_isolation = false }]
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
"#,
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", core_isolation = false }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (_, es) in fabric.ethernet_segments().filter(|(_, es)| es.legs.len() > 1) {
        for &leg in &es.legs {
            let device = fabric.lag(leg).device;
            let Some(overlay) =
                fabric.overlay_of(device).filter(|overlay| !overlay.core_isolation.value)
            else {
                continue;
            };
            if !said.insert(overlay.core_isolation.span) {
                continue;
            }
            let name = fabric.device_name(device);
            let place = place(fabric, leg);
            out.report(
                overlay.core_isolation.span,
                format!("{name} stays open"),
                format!("{name} keeps its Ethernet segments open when it has lost the underlay"),
            )
            .related(
                if place == overlay.core_isolation.span {
                    fabric.lag(leg).name.span
                } else {
                    place
                },
                format!("{} is on one, for one", fabric.lag(leg).name.value),
            )
            .wire(format!(
                "when all uplinks of {name} are down, what hosts hash to it is dropped, \
                 though their links look well"
            ))
            .remedy("say `core_isolation = true` in its [[overlay]], if the device can".to_owned())
            .about(device);
        }
    }
}
