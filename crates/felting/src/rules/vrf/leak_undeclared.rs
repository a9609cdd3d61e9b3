use rustc_hash::{FxHashMap, FxHashSet};

use super::on_vteps;
use crate::fabric::VrfId;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::RouteTarget;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "vrf-leak-undeclared",
        severity: Severity::Error,
        summary: "route targets join two VRFs that no leak declares",
        explain: "A VRF takes every route whose target it imports, whoever exports it. If that is \
              another tenant's, the two are one network, which nobody wrote down.",
        sources: &["RFC 4364 section 4.3.1"],
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
name = "harbour"
number = 3
vni = 27003
on = "kelp-*"
import_targets = ["42041:27003", "42041:27001"]
"#
        ),
        mend: &[("[\"42041:27003\", \"42041:27001\"]", "\"42041:27003\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut exporters: FxHashMap<RouteTarget, Vec<VrfId>> = FxHashMap::default();
    for (id, _) in fabric.vrfs() {
        for (place, _) in on_vteps(fabric, id) {
            for target in cx.state.evpn().tenant(id, place).iter().flat_map(|own| &own.export) {
                let known = exporters.entry(*target).or_default();
                if !known.contains(&id) {
                    known.push(id);
                }
            }
        }
    }
    let mut said: FxHashSet<(VrfId, VrfId)> = FxHashSet::default();
    for (id, vrf) in fabric.vrfs() {
        for (place, at) in on_vteps(fabric, id) {
            let Some(own) = cx.state.evpn().tenant(id, place) else { continue };
            for target in &own.import {
                for &other in exporters.get(target).map_or(&[][..], Vec::as_slice) {
                    let declared = fabric.leaks_into(other, id);
                    // Two VRFs of one VNI derive one target: that is told as such.
                    let vnis = |vrf: VrfId| {
                        fabric.vrf(vrf).switches.iter().filter_map(|at| at.vni).map(|vni| vni.value)
                    };
                    let same_vni = vnis(id).any(|vni| vnis(other).any(|theirs| theirs == vni));
                    if other == id || declared || same_vni || !said.insert((id, other)) {
                        continue;
                    }
                    let twin = &fabric.vrf(other).name;
                    let written = at
                        .import
                        .iter()
                        .flatten()
                        .find(|one| one.value == *target)
                        .map_or(vrf.name.span, |one| one.span);
                    out.report(
                        written,
                        format!("{} imports {target}", vrf.name.value),
                        format!(
                            "the VRF {} imports the routes of {}, and no leak says so",
                            vrf.name.value, twin.value
                        ),
                    )
                    .related(twin.span, format!("{} exports {target}", twin.value))
                    .wire(format!(
                        "hosts of {} have routes to those of {}: the tenants are not apart",
                        vrf.name.value, twin.value
                    ))
                    .remedy(format!(
                        "import other targets, or declare a [[leak]] from {} to {}",
                        twin.value, vrf.name.value
                    ))
                    .about_name(&vrf.name.value)
                    .about_name(&twin.value);
                }
            }
        }
    }
}
