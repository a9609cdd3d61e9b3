use rustc_hash::FxHashSet;

use crate::fabric::{LagId, PresenceId, Segment, SegmentId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "es-vlan-drift",
        severity: Severity::Error,
        summary: "a segment has different VLANs on the leaves of an Ethernet segment",
        explain: "By the modulus each leaf elects from its own VLAN id. With different ids for one \
              segment the leaves may elect two forwarders, so that frames for many arrive twice, \
              or none, so that they don't arrive.",
        sources: &["RFC 7432 section 8.5"],
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
differs = [{ on = "kelp-b", vlan = 311 }]
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
differs = [{ on = "kelp-b", tagged = "311" }]
"#,
            r#"
[severities]
es-vlan-clash = "off"
segment-vlan-drift = "off"
uplink-vlan-missing = "off"
"#
        ),
        mend: &[
            ("differs = [{ on = \"kelp-b\", vlan = 311 }]\n", ""),
            ("differs = [{ on = \"kelp-b\", tagged = \"311\" }]\n", ""),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let vlan = |presence: PresenceId| fabric.presence(presence).vlan.map(|vlan| vlan.value);
    let drifts = |segment: &Segment| {
        let mut all = segment.presences.iter().map(vlan);
        let first = all.next();
        all.any(|other| Some(other) != first)
    };
    let drifting: FxHashSet<SegmentId> =
        fabric.segments().filter(|(_, segment)| drifts(segment)).map(|(id, _)| id).collect();
    for (id, es) in fabric.ethernet_segments().filter(|_| !drifting.is_empty()) {
        let Some(&leg) = es.legs.first() else { continue };
        for &presence in fabric.presences_on(fabric.lag(leg).device) {
            let segment_id = fabric.presence(presence).segment;
            if !drifting.contains(&segment_id) {
                continue;
            }
            let segment = fabric.segment(segment_id);
            let vlan = |leg: LagId| {
                let lag = fabric.lag(leg);
                let own = fabric
                    .presences_on(lag.device)
                    .iter()
                    .find(|&&p| fabric.presence(p).segment == segment_id);
                let vlan = fabric.presence(*own?).vlan?;
                let carries = lag.carries(vlan.value);
                carries.then_some(vlan)
            };
            let legs: Vec<_> = es.legs.iter().filter_map(|&leg| Some((leg, vlan(leg)?))).collect();
            let Some(&(first, usual)) = legs.first() else { continue };
            let Some(&(other, odd)) = legs.iter().find(|(_, vlan)| vlan.value != usual.value)
            else {
                continue;
            };
            let elected =
                cx.state.election(id, |leg| vlan(leg).map(|vlan| vlan.value)).forwarders();
            let outcome = match elected.len() {
                0 => "no leaf forwards: frames for many don\u{2019}t get to the host",
                1 => {
                    "one leaf forwards today, by chance: another number of leaves elects \
                     two or none"
                }
                _ => "two leaves forward: the host gets frames for many twice",
            };
            let (here, there) = (
                fabric.device_name(fabric.lag(first).device),
                fabric.device_name(fabric.lag(other).device),
            );
            out.report(
                odd.span,
                format!("VLAN {} on {there}", odd.value),
                format!(
                    "{} is VLAN {} on {here} and VLAN {} on {there}, leaves of one Ethernet \
                     segment",
                    segment.name.value, usual.value, odd.value
                ),
            )
            .related(usual.span, format!("VLAN {} on {here}", usual.value))
            .wire(outcome)
            .remedy("use one VLAN for the segment on all leaves of the Ethernet segment".to_owned())
            .about(fabric.lag(first).device)
            .about(fabric.lag(other).device)
            .about_name(&segment.name.value);
        }
    }
}
