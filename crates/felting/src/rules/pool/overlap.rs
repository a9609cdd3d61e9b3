use std::collections::BTreeMap;

use smol_str::SmolStr;

use crate::diagnostic::{At, Span, some_of};
use crate::fabric::Pool;
use crate::rules::check::Draft;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{IpPrefix, PoolKind};

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
    let mut meetings = addresses(&pools);
    meetings.extend(numbers(&pools));
    for together in together(pools.len(), meetings) {
        let Meeting { pools: [earlier, later], places } = together.first;
        let (pool, other) = (pools[later], pools[earlier]);
        let names = std::iter::once(later)
            .chain([earlier])
            .chain(together.pools.iter().copied().filter(|at| ![later, earlier].contains(at)));
        let names: Vec<&SmolStr> = names.map(|at| &pools[at].name.value).collect();
        let shown: Vec<&str> = names.iter().map(|name| name.as_str()).collect();
        let said = match names[..] {
            [one, two] => format!("the pools {one} and {two} overlap"),
            _ => format!("the pools {} overlap", some_of(&shown)),
        };
        let draft = out
            .report(
                places[1],
                format!("{} gives {} from here", pool.name.value, pool.gives.value),
                said,
            )
            .related(
                places[0],
                format!("{} gives {} from here", other.name.value, other.gives.value),
            )
            .wire("one value is given to two things: packets for one go to the other".to_owned())
            .remedy("give each pool a range of its own".to_owned());
        names.into_iter().fold(draft, Draft::about_name);
    }
}

/// Two pools that give out the same, with the places of what does, in the order of the files.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct Meeting {
    pools: [usize; 2],
    places: [Span; 2],
}

impl Meeting {
    fn of(one: (usize, Span), other: (usize, Span)) -> Option<Self> {
        let (first, second) = if one.0 < other.0 { (one, other) } else { (other, one) };
        let meeting = Self { pools: [first.0, second.0], places: [first.1, second.1] };
        (first.0 != second.0).then_some(meeting)
    }
}

/// Prefixes that overlap: of those sorted each is in the last before it that is not over yet, or in none.
fn addresses(pools: &[&Pool]) -> Vec<Meeting> {
    // Router ids are often the loopbacks' addresses.
    let apart = |(_, pool): &(usize, &&Pool)| pool.gives.value != PoolKind::RouterIds;
    let mut all: Vec<(usize, At<IpPrefix>)> = pools
        .iter()
        .enumerate()
        .filter(apart)
        .flat_map(|(at, pool)| pool.prefixes.iter().map(move |prefix| (at, *prefix)))
        .collect();
    all.sort_by_key(|(at, prefix)| (prefix.address(), prefix.length(), *at));
    let mut open: Vec<(usize, At<IpPrefix>)> = Vec::new();
    let mut found = Vec::new();
    for (at, prefix) in all {
        while open.last().is_some_and(|(_, last)| !last.overlaps(&prefix)) {
            open.pop();
        }
        let other = open.iter().rev().find(|(other, _)| *other != at);
        found.extend(
            other.and_then(|(other, last)| Meeting::of((*other, last.span), (at, prefix.span))),
        );
        open.push((at, prefix));
    }
    found
}

/// Pools of numbers overlap if they give the same kind of number, and their ranges, where both end, meet.
fn numbers(pools: &[&Pool]) -> Vec<Meeting> {
    // Segments and VRFs have VNIs out of one space.
    let kind = |pool: &Pool| match pool.gives.value {
        PoolKind::VrfVnis => PoolKind::SegmentVnis,
        other => other,
    };
    let mut found = Vec::new();
    let mut begun: BTreeMap<(&str, u32), (usize, Span)> = BTreeMap::new();
    let mut ranges: Vec<(&str, u32, u32, (usize, Span))> = Vec::new();
    for (at, pool) in pools.iter().enumerate() {
        let Some(base) = pool.base else { continue };
        let (word, here) = (kind(pool).word(), (at, base.span));
        let other = *begun.entry((word, base.get())).or_insert(here);
        found.extend(Meeting::of(other, here));
        ranges.extend(pool.last.map(|last| (word, base.get().saturating_add(1), last.get(), here)));
    }
    ranges.sort_by_key(|&(word, first, _, here)| (word, first, here));
    let mut longest: Option<(&str, u32, (usize, Span))> = None;
    for (word, first, last, here) in ranges {
        match longest {
            Some((known, end, other)) if known == word && first <= end => {
                found.extend(Meeting::of(other, here));
                longest = Some(if last > end { (word, last, here) } else { (known, end, other) });
            }
            _ => longest = Some((word, last, here)),
        }
    }
    found
}

/// Pools that hang together by what they give out.
struct Together {
    pools: Vec<usize>,
    first: Meeting,
}

fn together(count: usize, mut meetings: Vec<Meeting>) -> Vec<Together> {
    meetings.sort_unstable_by_key(|meeting| (meeting.pools[1], meeting.pools[0], meeting.places));
    let mut root: Vec<usize> = (0..count).collect();
    let of = |mut at: usize, root: &mut Vec<usize>| {
        while root[at] != at {
            root[at] = root[root[at]];
            at = root[at];
        }
        at
    };
    for meeting in &meetings {
        let [one, other] = meeting.pools.map(|pool| of(pool, &mut root));
        let (low, high) = (one.min(other), one.max(other));
        root[high] = low;
    }
    let mut found: BTreeMap<usize, Together> = BTreeMap::new();
    for meeting in meetings {
        let at = of(meeting.pools[0], &mut root);
        let together = found.entry(at).or_insert(Together { pools: Vec::new(), first: meeting });
        together.pools.extend(meeting.pools);
    }
    let mut all: Vec<Together> = found.into_values().collect();
    for together in &mut all {
        together.pools.sort_unstable();
        together.pools.dedup();
    }
    all
}
