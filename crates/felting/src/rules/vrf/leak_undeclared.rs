use std::collections::BTreeMap;

use rustc_hash::FxHashMap;

use super::on_vteps;
use crate::diagnostic::Span;
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
    let mut found: BTreeMap<(VrfId, VrfId), (RouteTarget, Option<Span>)> = BTreeMap::new();
    for (id, _) in fabric.vrfs() {
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
                    if other == id || declared || same_vni {
                        continue;
                    }
                    let written = at.import.iter().flatten().find(|one| one.value == *target);
                    let written = written.map(|one| one.span);
                    found.entry((id, other)).or_insert((*target, written));
                }
            }
        }
    }
    for (&(id, other), &(target, written)) in &found {
        // Where each imports the other's by one target, what is written is told, of two lines the later.
        let back = found.get(&(other, id)).filter(|back| back.0 == target);
        match back {
            Some(&(_, theirs)) if (theirs, other) > (written, id) => {}
            back => report(cx, [id, other], target, written, back.is_some(), out),
        }
    }
}

fn report(
    cx: &Context<'_>,
    [id, other]: [VrfId; 2],
    target: RouteTarget,
    written: Option<Span>,
    is_mutual: bool,
    out: &mut Findings<'_>,
) {
    let fabric = cx.fabric;
    let [name, twin] = [id, other].map(|vrf| &fabric.vrf(vrf).name);
    let (own, theirs) = (&name.value, &twin.value);
    let draft = out
        .report(
            written.unwrap_or(name.span),
            format!("{own} imports {target}"),
            match is_mutual {
                true => format!("the VRFs {own} and {theirs} import each other\u{2019}s routes, and no leak says so"),
                false => format!("the VRF {own} imports the routes of {theirs}, and no leak says so"),
            },
        )
        .related(twin.span, format!("{theirs} exports {target}"));
    let draft = match is_mutual {
        true => draft.wire(format!(
            "hosts of {own} and {theirs} have routes to each other: the tenants are not apart"
        )),
        false => draft.wire(format!(
            "hosts of {own} have routes to those of {theirs}: the tenants are not apart"
        )),
    };
    draft
        .remedy(match is_mutual {
            true => format!(
                "give each its own targets, or declare a [[leak]] between {theirs} and {own}"
            ),
            false => format!("import other targets, or declare a [[leak]] from {theirs} to {own}"),
        })
        .about_name(own)
        .about_name(theirs);
}
