//! Things of one kind by their name, with the layers of what is said of them.

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use crate::diagnostic::{At, Span};
use crate::fabric::layout::report_range;
use crate::source::{
    Deviation, FaultKind, Faults, Keys, Layers, NameIndex, Pattern, Statement, expand,
};

/// The most ports that a fabric may have, so that a slip of the finger cannot fill the memory.
pub(super) const MOST_PORTS: usize = 10_000_000;

/// The most things of any other kind, for the same reason.
pub(super) const MOST_THINGS: usize = 2_000_000;

/// Things of one kind by their name: a statement of the same layer that makes one again is a
/// fault, one of a variant covers the keys it sets.
pub(super) struct Things<'s, N, K> {
    pub(super) order: Vec<Thing<'s, N, K>>,
    pub(super) places: FxHashMap<N, usize>,
}

/// One thing and the layers of keys that hold for it.
pub(super) struct Thing<'s, N, K> {
    pub(super) name: N,
    /// The place of the name in the statement that made it.
    pub(super) span: Span,
    pub(super) layer: usize,
    pub(super) layers: Layers<'s, K>,
}

impl<'s, N: Clone + Eq + std::hash::Hash, K: Keys> Things<'s, N, K> {
    pub(super) fn new() -> Self {
        Self { order: Vec::new(), places: FxHashMap::default() }
    }

    /// Adds what one statement says of one thing; `shown` names it in a fault.
    pub(super) fn add(
        &mut self,
        name: N,
        at: Span,
        statement: &'s Statement<K>,
        deviation: Option<&'s Deviation<K>>,
        faults: &mut Faults,
        shown: impl Fn() -> String,
    ) {
        let layers = Layers::of(statement, deviation);
        if let Some(&place) = self.places.get(&name) {
            let known = &mut self.order[place];
            if statement.layer > known.layer {
                known.layer = statement.layer;
                known.layers.cover(&layers);
                return;
            }
            faults
                .add(
                    FaultKind::NameTwice,
                    at,
                    format!("{} is written twice", shown()),
                    "written again",
                    "write it once, and what is different on some switches in `differs`",
                )
                .related(known.span, "written first");
            return;
        }
        self.places.insert(name.clone(), self.order.len());
        self.order.push(Thing { name, span: at, layer: statement.layer, layers });
    }
}

/// The deviation that holds for each of a statement's things, by the thing's place in `names`.
pub(super) fn deviations<'s, K: Keys>(
    statement: &'s Statement<K>,
    names: &[SmolStr],
    faults: &mut Faults,
) -> FxHashMap<usize, &'s Deviation<K>> {
    let mut found: FxHashMap<usize, &Deviation<K>> = FxHashMap::default();
    if statement.differs.is_empty() {
        return found;
    }
    let index = NameIndex::new(names.iter().map(SmolStr::as_str).zip(0..));
    for deviation in &statement.differs {
        for text in &deviation.on.value.0 {
            let pattern = match Pattern::parse(&text.value) {
                Ok(pattern) => pattern,
                Err(fault) => {
                    report_range(faults, text, 0, &text.value, &fault);
                    continue;
                }
            };
            let mut places: Vec<usize> =
                pattern.globs().iter().flat_map(|glob| index.matching(glob)).collect();
            places.sort_unstable();
            places.dedup();
            let matched = !places.is_empty();
            for place in places {
                let name = &names[place];
                let earlier = found.insert(place, deviation);
                if let Some(earlier) = earlier.filter(|earlier| !std::ptr::eq(*earlier, deviation))
                {
                    faults
                        .add(
                            FaultKind::DiffersTwice,
                            text.span,
                            format!("two deviations of this {} match {name}", K::TABLE),
                            format!("matches {name} again"),
                            "let each switch be matched by one deviation",
                        )
                        .related(earlier.on.span, format!("matches {name} first"));
                }
            }
            if !matched {
                let remedy = match faults.nearest(&text.value, names.iter().map(SmolStr::as_str)) {
                    Some(nearest) => format!("did you mean {nearest}?"),
                    None => {
                        format!("name one that this {} is on, or take the deviation out", K::TABLE)
                    }
                };
                faults.add(
                    FaultKind::MatchesNothing,
                    text.span,
                    format!(
                        "the deviation for {:?} matches nothing of this {}",
                        text.value,
                        K::TABLE
                    ),
                    format!("expected one of those that the {} holds for", K::TABLE),
                    remedy,
                );
            }
        }
    }
    found
}

/// Spreads out a list of ranges of names.
pub(super) fn spread(ranges: &[At<SmolStr>], faults: &mut Faults) -> Vec<At<SmolStr>> {
    let mut names = Vec::new();
    for range in ranges {
        match expand(&range.value) {
            Ok(made) if names.is_empty() && ranges.len() == 1 => {
                return made.into_iter().map(|name| At::new(name, range.span)).collect();
            }
            Ok(made) => names.extend(made.into_iter().map(|name| At::new(name, range.span))),
            Err(fault) => report_range(faults, range, 0, &range.value, &fault),
        }
    }
    names
}

/// Refuses what would make more than [`MOST_THINGS`] things.
pub(super) fn too_many(count: usize, at: Span, what: &str, faults: &mut Faults) -> bool {
    if count <= MOST_THINGS {
        return false;
    }
    faults.add(
        FaultKind::RangeTooLarge,
        at,
        format!("the fabric would have over {MOST_THINGS} {what}"),
        "too many from here on",
        "check the ranges",
    );
    true
}

/// A value as it is written, or its default, which stands where the statement does.
pub(super) fn at<T: Copy>(written: Option<&At<T>>, default: T, span: Span) -> At<T> {
    written.copied().unwrap_or(At::new(default, span))
}
