//! Names held in the order in which patterns find them.

use std::cell::{Cell, OnceCell};
use std::ops::Range;

use super::range::glob_matches;

/// Names that patterns are looked up in, each with what it stands for.
///
/// A pattern is held against the names that begin as it does. Where patterns come again and again whose start says
/// little, the ends of all names are sorted once, and a pattern is held against those names alone that have the rarest
/// of its pieces.
pub(crate) struct NameIndex<'a, T> {
    sorted: Vec<(&'a str, T)>,
    /// What names end with, from each of their characters on, in order; made when it pays.
    ends: OnceCell<Vec<End>>,
    /// How many names were held against patterns so far.
    held: Cell<usize>,
}

/// A name from one of its characters on: the name's place and the character's.
#[derive(Clone, Copy)]
struct End {
    name: u32,
    from: u32,
}

/// As many times as there are names, names are held against patterns before their ends are sorted.
const WORTH_SORTING: usize = 16;

impl<'a, T: Copy + Ord> NameIndex<'a, T> {
    pub(crate) fn new(names: impl Iterator<Item = (&'a str, T)>) -> Self {
        let mut sorted: Vec<_> = names.collect();
        sorted.sort_unstable();
        Self { sorted, ends: OnceCell::new(), held: Cell::new(0) }
    }

    /// The names, in their order.
    pub(crate) fn names(&self) -> &[(&'a str, T)] {
        &self.sorted
    }

    /// Whether any name begins so.
    pub(crate) fn any_begins(&self, start: &str) -> bool {
        !begin(&self.sorted, start, |one| one.0).is_empty()
    }

    /// What the names stand for that a name or pattern means, in order, each once.
    pub(crate) fn matching(&self, glob: &str) -> Vec<T> {
        let mut found: Vec<T> = match glob.split_once('*') {
            None => self.sorted[are(&self.sorted, glob, |one| one.0)]
                .iter()
                .map(|&(_, of)| of)
                .collect(),
            Some((start, rest)) => {
                let from_start = begin(&self.sorted, start, |one| one.0);
                let held = self.held.get().saturating_add(from_start.len());
                let by_ends = held > self.sorted.len().saturating_mul(WORTH_SORTING);
                if !by_ends {
                    self.held.set(held);
                }
                let by_ends = by_ends.then(|| self.having_rarest(rest)).flatten();
                let matches = |&&(name, _): &&(&str, T)| glob_matches(glob, name);
                match by_ends.filter(|ends| ends.len() < from_start.len()) {
                    Some(ends) => {
                        let names = ends.iter().map(|end| &self.sorted[end.name as usize]);
                        names.filter(matches).map(|&(_, of)| of).collect()
                    }
                    None => {
                        self.sorted[from_start].iter().filter(matches).map(|&(_, of)| of).collect()
                    }
                }
            }
        };
        found.sort_unstable();
        found.dedup();
        found
    }

    /// Where in names there is the rarest of the pieces that follow a pattern's first `*`.
    fn having_rarest(&self, rest: &str) -> Option<&[End]> {
        let text = |end: &End| &self.sorted[end.name as usize].0[end.from as usize..];
        let ends = self.ends.get_or_init(|| {
            let small = |number: usize| u32::try_from(number).expect("less than four billion");
            let mut ends = Vec::new();
            for (name, &(text, _)) in self.sorted.iter().enumerate() {
                let name = small(name);
                ends.extend(text.char_indices().map(|(from, _)| End { name, from: small(from) }));
            }
            ends.sort_unstable_by_key(text);
            ends
        });
        let (inner, last) = rest.rsplit_once('*').unwrap_or(("", rest));
        let inner = inner.split('*').filter(|piece| !piece.is_empty());
        let last = (!last.is_empty()).then(|| are(ends, last, text));
        let places = inner.map(|piece| begin(ends, piece, text)).chain(last);
        places.min_by_key(Range::len).map(|rarest| &ends[rarest])
    }
}

/// Where in what is sorted by its text those are that begin so.
fn begin<'t, T>(sorted: &[T], start: &str, text: impl Fn(&T) -> &'t str) -> Range<usize> {
    let from = sorted.partition_point(|one| text(one) < start);
    from..from + sorted[from..].partition_point(|one| text(one).starts_with(start))
}

/// Where in what is sorted by its text those are that are this one.
fn are<'t, T>(sorted: &[T], wanted: &str, text: impl Fn(&T) -> &'t str) -> Range<usize> {
    let from = sorted.partition_point(|one| text(one) < wanted);
    from..from + sorted[from..].partition_point(|one| text(one) == wanted)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        /// As if each name were held against the pattern, before the ends are sorted and after.
        #[test]
        fn finds_what_each_name_by_itself_would(
            names in prop::collection::vec("[ab]{1,4}", 0..12),
            globs in prop::collection::vec("[ab*]{1,5}", 1..40),
        ) {
            let index = NameIndex::new(names.iter().map(String::as_str).zip(0..));
            for glob in &globs {
                let each = (0..names.len()).filter(|&place| glob_matches(glob, &names[place]));
                prop_assert_eq!(index.matching(glob), each.collect::<Vec<_>>(), "{}", glob);
            }
        }
    }

    #[test]
    fn no_names_have_no_match() {
        let index: NameIndex<'_, usize> = NameIndex::new(std::iter::empty());
        assert!(index.matching("*").is_empty());
        assert!(!index.any_begins(""));
    }
}
