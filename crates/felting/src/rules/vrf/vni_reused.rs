use rustc_hash::{FxHashMap, FxHashSet};

use crate::diagnostic::Span;
use crate::fabric::VrfId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Vni;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-vni-reused",
        severity: Severity::Error,
        summary: "two VRFs have one layer 3 VNI",
        explain: "The layer 3 VNI tells the far VTEP the VRF of a packet. With one for two VRFs, \
              packets of one tenant are routed by the table of the other.",
        sources: &["RFC 9135 section 4.1"],
        broken: concat!(
            part!(fabric),
            r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"
"#,
            r#"
[[vrf]]
name = "plankton"
number = 2
vni = 27001
on = "kelp-*"
"#
        ),
        mend: &[("number = 2\nvni = 27001", "number = 2\nvni = 27002")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut first: FxHashMap<Vni, (VrfId, Span)> = FxHashMap::default();
    let mut said: FxHashSet<(Span, Span)> = FxHashSet::default();
    for (id, vrf) in fabric.vrfs() {
        for vni in vrf.switches.iter().filter_map(|at| at.vni) {
            let &mut (other, place) = first.entry(vni.value).or_insert((id, vni.span));
            if other == id || !said.insert((vni.span, place)) {
                continue;
            }
            let twin = &fabric.vrf(other).name;
            out.report(
                vni.span,
                format!("layer 3 VNI of {}", vrf.name.value),
                format!(
                    "the VRFs {} and {} have one layer 3 VNI, {}",
                    twin.value, vrf.name.value, vni.value
                ),
            )
            .related(place, format!("layer 3 VNI of {}", twin.value))
            .wire(
                "packets of one tenant are routed by the other\u{2019}s table: isolation is broken"
                    .to_owned(),
            )
            .remedy("give each VRF a VNI of its own".to_owned())
            .about_name(&vrf.name.value)
            .about_name(&twin.value);
        }
    }
}
