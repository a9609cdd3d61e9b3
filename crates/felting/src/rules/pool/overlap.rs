use crate::diagnostic::Span;
use crate::fabric::Pool;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::PoolKind;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pool-overlap",
        severity: Severity::Error,
        summary: "two pools give out the same values",
        explain: "What a thing gets is the pool's base plus its own number, so pools that overlap \
              give one value to two things as soon as the numbers meet.",
        sources: &["RFC 4632 section 3.1"],
        broken: routed!(
            r#"
[[underlay]]
on = ["crest-1", "kelp-*"]

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.8.128/25"
"#
        ),
        mend: &[("10.64.8.128/25", "10.64.9.0/24")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let pools: Vec<&Pool> = fabric.pools().map(|(_, pool)| pool).collect();
    for (index, pool) in pools.iter().enumerate() {
        for other in &pools[..index] {
            // Router ids are often the loopbacks' addresses.
            let ids = [pool.gives.value, other.gives.value].contains(&PoolKind::RouterIds);
            let places = addresses(pool, other).filter(|_| !ids).or_else(|| numbers(pool, other));
            let Some((one, two)) = places else { continue };
            out.report(
                one,
                format!("{} gives {} from here", pool.name.value, pool.gives.value),
                format!("the pools {} and {} overlap", pool.name.value, other.name.value),
            )
            .related(two, format!("{} gives {} from here", other.name.value, other.gives.value))
            .wire("one value is given to two things: packets for one go to the other".to_owned())
            .remedy("give each pool a range of its own".to_owned())
            .about_name(&pool.name.value)
            .about_name(&other.name.value);
        }
    }
}

fn addresses(pool: &Pool, other: &Pool) -> Option<(Span, Span)> {
    pool.prefixes.iter().find_map(|one| {
        let two = other.prefixes.iter().find(|two| one.overlaps(two))?;
        Some((one.span, two.span))
    })
}

/// Pools of numbers overlap if they give the same kind of number, and their ranges, where both end, meet.
fn numbers(pool: &Pool, other: &Pool) -> Option<(Span, Span)> {
    let vni = |kind: PoolKind| matches!(kind, PoolKind::SegmentVnis | PoolKind::VrfVnis);
    let alike =
        pool.gives.value == other.gives.value || (vni(pool.gives.value) && vni(other.gives.value));
    let (one, two) = (pool.base?, other.base?);
    let range = |pool: &Pool, base: u32| {
        (base.saturating_add(1), pool.last.map_or(u32::MAX, |last| last.get()))
    };
    let ((a, b), (c, d)) = (range(pool, one.get()), range(other, two.get()));
    let bounded = pool.last.is_some() && other.last.is_some();
    (alike && a <= d && c <= b && (bounded || one.value == two.value))
        .then_some((one.span, two.span))
}
