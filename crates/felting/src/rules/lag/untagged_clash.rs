use rustc_hash::FxHashSet;

use super::half_name;
use crate::behaviour::{Aspect, Entity};
use crate::fabric::{DeviceKind, Lag};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-untagged-clash",
        severity: Severity::Error,
        summary: "the two ends of a LAG put untagged frames into different VLANs",
        explain: "An untagged frame belongs to the VLAN that the receiving port says (its PVID). If \
              the two ends say different VLANs, these are joined into one broadcast domain here; \
              if one end says none, the frames are lost.",
        sources: &["IEEE 802.1Q clause 6.9 (PVID)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"
untagged = 310
differs = [{ on = "kelp-b", untagged = 320 }]

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("untagged = 320", "untagged = 310")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut reported = FxHashSet::default();
    for &(one, other) in cx.state.facing.iter() {
        let (a, b) = (fabric.lag(one), fabric.lag(other));
        let host = |lag: &Lag| fabric.device(lag.device).kind == DeviceKind::Host;
        let vlan = |lag: &Lag| lag.untagged.map(|vlan| vlan.value);
        let claimed = |lag| cx.state.causes().claimed(Entity::Lag(lag), Aspect::Untagged).is_some();
        let layer = |lag| cx.state.causes().claimed(Entity::Lag(lag), Aspect::Layer).is_some();
        if layer(one) || host(a) || host(b) || vlan(a) == vlan(b) || claimed(one) || claimed(other)
        {
            continue;
        }
        if !reported.insert((super::halves(fabric, one)[0], super::halves(fabric, other)[0])) {
            continue;
        }
        let shown = |lag: &Lag| match lag.untagged {
            Some(vlan) => format!("into VLAN {}", vlan.value),
            None => "nowhere".to_owned(),
        };
        let place = |lag: &Lag| lag.untagged.map_or(lag.name.span, |vlan| vlan.span);
        let (name_a, name_b) = (half_name(fabric, one), half_name(fabric, other));
        let wire = match (vlan(a), vlan(b)) {
            (Some(x), Some(y)) => {
                format!("VLAN {x} and VLAN {y} are one broadcast domain across this LAG")
            }
            (x, y) => {
                let vlan = x.or(y).map(|vlan| vlan.to_string()).unwrap_or_default();
                format!("untagged frames of VLAN {vlan} are dropped at the other end")
            }
        };
        out.report(
            place(b),
            format!("{name_b} puts untagged frames {}", shown(b)),
            format!("{name_a} puts untagged frames {}, {name_b} {}", shown(a), shown(b)),
        )
        .related(place(a), format!("{name_a} puts untagged frames {}", shown(a)))
        .wire(wire)
        .remedy("set one untagged VLAN at both ends, or none")
        .about(a.device)
        .about(b.device);
    }
}
