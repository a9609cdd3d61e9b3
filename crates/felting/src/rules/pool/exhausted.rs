use std::collections::BTreeMap;

use rustc_hash::FxHashSet;

use crate::diagnostic::{At, Span};
use crate::fabric::{Exhausted, Pool, PoolId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{Number, PoolKind};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pool-exhausted",
        severity: Severity::Error,
        summary: "a pool is too small for what is allotted from it",
        explain: "A pool gives base plus number. A number beyond its end, or more links than a \
              switch's reserve, gets nothing: the thing is left without the value, and all that \
              needs it fails.",
        sources: &["RFC 4632 section 3.1"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]

[[pool]]
name = "leaf-loopbacks"
gives = "loopbacks"
prefix = "10.64.10.0/29"
on = "kelp-*"
"#
        ),
        mend: &[("10.64.10.0/29", "10.64.10.0/26")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut by_pool: BTreeMap<PoolId, Vec<&Exhausted>> = BTreeMap::new();
    for exhausted in fabric.exhausted() {
        by_pool.entry(exhausted.pool).or_default().push(exhausted);
    }
    for (id, all) in by_pool {
        let (pool, first) = (fabric.pool(id), all[0]);
        let place =
            pool.prefixes.first().map(|prefix| prefix.span).or(pool.last.map(|last| last.span));
        let names: Vec<&str> = all
            .iter()
            .filter_map(|one| one.switch)
            .map(|switch| fabric.device_name(switch))
            .collect();
        let mut names: Vec<&str> = names;
        names.dedup();
        let whom = match names.is_empty() {
            true => format!("number {}", first.wanted.value),
            false => crate::diagnostic::some_of(&names),
        };
        let mut draft = out
            .report(
                place.unwrap_or(pool.name.span),
                format!("{} ends before that", pool.name.value),
                format!("the pool {} has no {} for {whom}", pool.name.value, what(pool)),
            )
            .related(
                first.wanted.span,
                format!("number {} is beyond the pool\u{2019}s end", first.wanted.value),
            )
            .wire(format!("{whom}: none, and what needs it does not come up"))
            .remedy(match pool.gives.value {
                PoolKind::Links => {
                    "make the pool or its `links_per_switch` larger, or use smaller numbers"
                        .to_owned()
                }
                _ => "make the pool larger, use smaller numbers, or pin the value".to_owned(),
            })
            .about_name(&pool.name.value);
        // What has no VNI is a segment or a VRF.
        let wanted: FxHashSet<Span> = all.iter().map(|one| one.wanted.span).collect();
        let wants =
            |number: Option<At<Number>>| number.is_some_and(|number| wanted.contains(&number.span));
        for (_, segment) in fabric.segments().filter(|(_, segment)| wants(segment.number)) {
            draft = draft.about_name(&segment.name.value);
        }
        for (_, vrf) in fabric.vrfs().filter(|(_, vrf)| wants(vrf.number)) {
            draft = draft.about_name(&vrf.name.value);
        }
        for switch in all.iter().filter_map(|one| one.switch) {
            draft = draft.about(switch);
        }
    }
}

fn what(pool: &Pool) -> &'static str {
    match pool.gives.value {
        PoolKind::Links => "link addresses",
        PoolKind::Loopbacks => "loopback",
        PoolKind::Vteps => "VTEP address",
        PoolKind::RouterIds => "router id",
        PoolKind::AsNumbers => "AS number",
        PoolKind::SegmentVnis | PoolKind::VrfVnis => "VNI",
    }
}
