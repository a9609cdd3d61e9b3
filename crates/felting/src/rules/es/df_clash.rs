use rustc_hash::FxHashSet;

use crate::diagnostic::Span;
use crate::fabric::{LagId, Overlay};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "es-df-clash",
        severity: Severity::Warning,
        summary: "the leaves of an Ethernet segment elect in different ways",
        explain: "The leaves say in their routes how they elect the designated forwarder. Where they \
              are set differently, all fall back to VLAN id modulo number of leaves: the \
              election is not the one that was meant.",
        sources: &["RFC 8584 section 2.2.1", "RFC 7432 section 8.5"],
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
differs = [{ on = "kelp-b", election = "hrw" }]
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
        mend: &[("differs = [{ on = \"kelp-b\", election = \"hrw\" }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (id, segment) in fabric.ethernet_segments() {
        let overlay = |leg: LagId| fabric.overlay_of(fabric.lag(leg).device);
        let legs: Vec<(LagId, &Overlay)> =
            segment.legs.iter().filter_map(|&leg| Some((leg, overlay(leg)?))).collect();
        let Some(&(first, usual)) = legs.first() else { continue };
        let Some(&(leg, other)) =
            legs.iter().find(|(_, other)| other.election.value != usual.election.value)
        else {
            continue;
        };
        if !said.insert(other.election.span) {
            continue;
        }
        let _ = id;
        let (here, there) = (fabric.device_name(usual.device), fabric.device_name(other.device));
        out.report(
            other.election.span,
            format!("{there} elects by {}", other.election.value),
            format!(
                "{here} and {there} elect the forwarder of an Ethernet segment by {} and by {}",
                usual.election.value, other.election.value
            ),
        )
        .related(usual.election.span, format!("{here} elects by {}", usual.election.value))
        .wire(
            "all leaves fall back to the modulus of the VLAN id: another leaf than meant forwards"
                .to_owned(),
        )
        .remedy("use one method on all leaves of the segment".to_owned())
        .about(fabric.lag(first).device)
        .about(fabric.lag(leg).device);
    }
}
