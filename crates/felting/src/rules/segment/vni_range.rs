use rustc_hash::FxHashSet;

use crate::diagnostic::Span;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::PoolKind;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-vni-range",
        severity: Severity::Warning,
        summary: "a segment's VNI is outside its pool",
        explain: "Where a pool gives VNIs, a written one outside its range is most often a slip of \
              the finger, and the pool may be somebody else's part of the number space.",
        sources: &["RFC 7348 section 5"],
        broken: concat!(
            part!(fabric),
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 25310
on = "kelp-*"
"#,
            r#"
[[pool]]
name = "segments"
gives = "segment-vnis"
base = 23000
last = 23999
"#
        ),
        mend: &[("25310", "23310")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let pools: Vec<_> = fabric
        .pools()
        .map(|(_, pool)| pool)
        .filter(|pool| pool.gives.value == PoolKind::SegmentVnis && pool.last.is_some())
        .collect();
    let Some(first) = pools.first() else { return };
    let mut said: FxHashSet<Span> = FxHashSet::default();
    for (_, presence) in fabric.presences() {
        let Some(vni) = presence.vni else { continue };
        let inside = pools.iter().any(|pool| {
            pool.base.is_some_and(|base| vni.get() > base.get())
                && pool.last.is_some_and(|last| vni.get() <= last.get())
        });
        if inside {
            continue;
        }
        // One that is a VRF's too is told as that.
        let of_vrf = fabric.vrfs().any(|(_, vrf)| {
            vrf.switches.iter().any(|at| at.vni.is_some_and(|other| other.value == vni.value))
        });
        if of_vrf || !said.insert(vni.span) {
            continue;
        }
        let segment = &fabric.segment(presence.segment).name;
        let range = first.base.zip(first.last).map_or_else(String::new, |(base, last)| {
            format!("{} to {}", base.get().saturating_add(1), last.value)
        });
        out.report(
            vni.span,
            format!("outside {range}"),
            format!(
                "VNI {} of {} is outside the pool {}",
                vni.value, segment.value, first.name.value
            ),
        )
        .related(
            first.base.map_or(first.name.span, |base| base.span),
            format!("{} gives {range}", first.name.value),
        )
        .wire(
            "nothing breaks by itself; the next who allots that number joins two segments"
                .to_owned(),
        )
        .remedy("leave `vni` out: the pool gives one".to_owned())
        .about_name(&segment.value);
    }
}
