//! What is known of prefixes, shared between the underlays of states but where they differ.

use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use crate::value::IpPrefix;

type Lists<T> = FxHashMap<IpPrefix, SmallVec<[T; 2]>>;

/// A list for each prefix that has one.
#[derive(Clone)]
pub(crate) struct OfPrefixes<T> {
    all: Arc<Lists<T>>,
    /// Those that are others now; empty where there is none any more.
    now: Lists<T>,
    /// How many prefixes there are of each length.
    counts: BTreeMap<u8, usize>,
}

impl<T> OfPrefixes<T> {
    pub(super) fn of(all: Lists<T>) -> Self {
        let mut counts: BTreeMap<u8, usize> = BTreeMap::new();
        #[allow(clippy::iter_over_hash_type, reason = "they are counted")]
        for prefix in all.keys() {
            *counts.entry(prefix.length()).or_default() += 1;
        }
        Self { all: Arc::new(all), now: Lists::default(), counts }
    }

    /// What a prefix has.
    pub(super) fn get(&self, prefix: &IpPrefix) -> &[T] {
        let list = self.now.get(prefix).or_else(|| self.all.get(prefix));
        list.map_or(&[], SmallVec::as_slice)
    }

    /// Gives a prefix what it has now.
    pub(super) fn set(&mut self, prefix: IpPrefix, list: SmallVec<[T; 2]>) {
        let (had, has) = (!self.get(&prefix).is_empty(), !list.is_empty());
        self.now.insert(prefix, list);
        let count = self.counts.entry(prefix.length()).or_default();
        *count = *count + usize::from(has) - usize::from(had);
        if *count == 0 {
            self.counts.remove(&prefix.length());
        }
    }

    /// The prefixes that have something, in order.
    pub(super) fn prefixes(&self) -> Vec<IpPrefix> {
        let all = self.all.keys().chain(self.now.keys());
        let mut found: Vec<IpPrefix> =
            all.filter(|prefix| !self.get(prefix).is_empty()).copied().collect();
        found.sort_unstable();
        found.dedup();
        found
    }

    /// What one is looked for among: the shorter ones that hold it, and itself, of the lengths that there are; the longest
    /// first.
    pub(super) fn around(&self, prefix: IpPrefix) -> impl Iterator<Item = IpPrefix> + '_ {
        self.counts
            .range(..=prefix.length())
            .rev()
            .map(move |(&length, _)| prefix.shortened(length))
    }
}

impl<T: fmt::Debug> fmt::Debug for OfPrefixes<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let all = self.prefixes();
        f.debug_map().entries(all.iter().map(|prefix| (prefix, self.get(prefix)))).finish()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn prefix(text: &str) -> IpPrefix {
        text.parse().expect("a prefix")
    }

    #[test]
    fn what_is_set_is_there_and_what_is_emptied_is_gone() {
        let (near, far) = (prefix("10.0.0.0/31"), prefix("10.1.0.0/24"));
        let of = |list: &[(IpPrefix, &[u8])]| {
            OfPrefixes::of(list.iter().map(|(at, has)| (*at, SmallVec::from_slice(has))).collect())
        };
        let whole = of(&[(near, &[1, 2]), (far, &[3])]);
        let around =
            |of: &OfPrefixes<u8>| of.around(near).map(|one| one.length()).collect::<Vec<_>>();
        assert_eq!(around(&whole), [31, 24]);
        let mut other = whole.clone();
        other.set(near, SmallVec::new());
        assert_eq!((other.get(&near), around(&other)), (&[][..], vec![24]));
        assert_eq!(format!("{other:?}"), format!("{:?}", of(&[(far, &[3])])));
        other.set(near, SmallVec::from_slice(&[1, 2]));
        assert_eq!(format!("{other:?}"), format!("{whole:?}"));
        assert_eq!(other.prefixes(), whole.prefixes());
        assert_eq!(whole.get(&near), [1, 2]);
    }
}
