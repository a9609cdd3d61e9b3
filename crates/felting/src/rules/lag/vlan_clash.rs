use rustc_hash::FxHashSet;

use super::half_name;
use crate::behaviour::{Aspect, Entity};
use crate::fabric::{DeviceKind, LagId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::VlanSet;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-vlan-clash",
        severity: Severity::Error,
        summary: "the two ends of a LAG carry different tagged VLANs",
        explain: "A switch drops tagged frames of a VLAN that the port is not a member of. A VLAN that \
              only one end carries is sent into the link and lost at its end.",
        sources: &["IEEE 802.1Q clause 8.6.2 (ingress filtering)", "IEEE 802.1Q clause 8.8.10"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"
tagged = "310-312"
differs = [{ on = "kelp-b", tagged = "310-311" }]

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("tagged = \"310-311\"", "tagged = \"310-312\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut reported = FxHashSet::default();
    for &(one, other) in cx.state.facing.iter() {
        let (a, b) = (fabric.lag(one), fabric.lag(other));
        let host = |lag: &crate::fabric::Lag| fabric.device(lag.device).kind == DeviceKind::Host;
        let layer = |lag| cx.state.causes().claimed(Entity::Lag(lag), Aspect::Layer).is_some();
        if layer(one) || host(a) || host(b) || a.tagged.value == b.tagged.value {
            continue;
        }
        let lacks = |set: &VlanSet, than: &VlanSet, lag: LagId, far: LagId| -> VlanSet {
            let free = |lag, vlan| {
                cx.state.causes().claimed(Entity::Lag(lag), Aspect::Vlan(vlan)).is_none()
            };
            than.without(set).iter().filter(|&vlan| free(lag, vlan) && free(far, vlan)).collect()
        };
        let missing_b = lacks(&b.tagged, &a.tagged, other, one);
        let missing_a = lacks(&a.tagged, &b.tagged, one, other);
        if missing_a.is_empty() && missing_b.is_empty() {
            continue;
        }
        // Both halves of a group face the far end, and their common difference is one fault.
        let wholes = (super::halves(fabric, one)[0], super::halves(fabric, other)[0]);
        if !reported.insert((wholes, missing_a.clone(), missing_b.clone())) {
            continue;
        }
        let (name_a, name_b) = (half_name(fabric, one), half_name(fabric, other));
        let side = |name: &str, missing: &VlanSet| {
            if missing.is_empty() { None } else { Some(format!("{name} lacks VLAN {missing}")) }
        };
        let sides: Vec<_> =
            [side(&name_b, &missing_b), side(&name_a, &missing_a)].into_iter().flatten().collect();
        let all = missing_a.union(&missing_b);
        out.report(
            b.tagged.span,
            format!("{name_b} carries {}", shown(&b.tagged)),
            format!("the ends of a LAG carry different VLANs: {}", sides.join(", ")),
        )
        .related(a.tagged.span, format!("{name_a} carries {}", shown(&a.tagged)))
        .wire(format!("tagged frames of VLAN {all} that one end sends are dropped by the other"))
        .remedy(format!("carry VLAN {all} at both ends, or at neither"))
        .about(a.device)
        .about(b.device);
    }
}

fn shown(vlans: &VlanSet) -> String {
    if vlans.is_empty() { "no tagged VLAN".to_owned() } else { vlans.to_string() }
}
