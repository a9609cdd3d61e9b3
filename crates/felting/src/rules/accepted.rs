//! Findings that somebody answers for.

use std::collections::BTreeSet;

use jiff::civil::Date;
use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::terms::Terms;
use crate::diagnostic::Finding;
use crate::fabric::{Accept, Fabric};
use crate::source::{Pattern, glob_matches};

/// Which acceptances meet a finding.
pub(super) struct Met<'a> {
    /// The one by which it is accepted, if one holds.
    pub(super) holding: Option<&'a Accept>,
    /// All that match, by their place in the file's order.
    pub(super) matched: BTreeSet<usize>,
}

/// What a fabric accepts, on some terms.
pub(super) struct Acceptances {
    fabric: Fabric,
    by_name: ByName,
    terms: Terms,
}

impl Acceptances {
    pub(super) fn under(fabric: &Fabric, terms: Terms) -> Self {
        Self { fabric: fabric.clone(), by_name: ByName::of(fabric), terms }
    }

    /// Those that a finding meets.
    pub(super) fn of(&self, finding: &Finding) -> Met<'_> {
        let matched = self.by_name.matching(finding);
        let holds = |accept: &&Accept| !expired(accept, self.terms.day);
        let mut met = matched.iter().map(|&index| &self.fabric.accepts[index]);
        let holding = met.find(holds).filter(|_| !self.terms.ignores_accepts);
        Met { holding, matched }
    }
}

/// The acceptances, by their rule and by what they name, so that many of them meet many findings quickly.
#[derive(Default)]
struct ByName {
    of_rule: FxHashMap<SmolStr, OfRule>,
}

/// The acceptances of a rule, by their place in the file's order.
#[derive(Default)]
struct OfRule {
    /// Those of all that the rule finds.
    all: Vec<usize>,
    /// Those of what has a name.
    named: FxHashMap<SmolStr, Vec<usize>>,
    /// Those of what matches a pattern, by how it begins: all that is before its first `*`.
    begun: FxHashMap<SmolStr, Vec<(SmolStr, usize)>>,
    /// Those of what matches a pattern whose end, all that is after its last `*`, is longer than its start.
    ended: FxHashMap<SmolStr, Vec<(SmolStr, usize)>>,
}

impl OfRule {
    fn add(&mut self, glob: &SmolStr, index: usize) {
        let Some((start, _)) = glob.split_once('*') else {
            self.named.entry(glob.clone()).or_default().push(index);
            return;
        };
        let end = glob.rsplit('*').next().unwrap_or_default();
        let (table, key) = match start.len() < end.len() {
            true => (&mut self.ended, end),
            false => (&mut self.begun, start),
        };
        table.entry(SmolStr::new(key)).or_default().push((glob.clone(), index));
    }

    /// Those that match a name.
    fn matching<'a>(&'a self, name: &'a str) -> impl Iterator<Item = usize> + 'a {
        let named = self.named.get(name).into_iter().flatten().copied();
        let cuts = name.char_indices().map(|(at, _)| at).chain([name.len()]);
        let maybe = cuts.flat_map(move |at| {
            let (start, end) = name.split_at(at);
            let of_both = self.begun.get(start).into_iter().chain(self.ended.get(end));
            of_both.flatten()
        });
        let matched = maybe.filter(move |(glob, _)| glob_matches(glob, name));
        named.chain(matched.map(|&(_, index)| index))
    }
}

impl ByName {
    fn of(fabric: &Fabric) -> Self {
        let mut all = Self::default();
        for (index, accept) in fabric.accepts.iter().enumerate() {
            let of_rule = all.of_rule.entry(accept.rule.value.clone()).or_default();
            if accept.on.is_empty() {
                of_rule.all.push(index);
            }
            for pattern in accept.on.iter().filter_map(|on| Pattern::parse(&on.value).ok()) {
                for glob in pattern.globs() {
                    of_rule.add(glob, index);
                }
            }
        }
        all
    }

    /// Those that match a finding, in the file's order.
    fn matching(&self, finding: &Finding) -> BTreeSet<usize> {
        let Some(of_rule) = self.of_rule.get(finding.rule.id) else { return BTreeSet::new() };
        let mut found: BTreeSet<usize> = of_rule.all.iter().copied().collect();
        for name in &finding.about {
            found.extend(of_rule.matching(name));
        }
        found
    }
}

pub(crate) fn expired(accept: &Accept, today: Option<Date>) -> bool {
    accept.until.zip(today).is_some_and(|(until, today)| until.value < today)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_find_the_patterns_that_mean_them() {
        let globs = ["kelp-1", "kelp-*", "*-1", "*", "k*1", "*elp*", "reef-*", "*-12", "kelp-1*"];
        let mut of_rule = OfRule::default();
        for (index, glob) in globs.into_iter().enumerate() {
            of_rule.add(&SmolStr::new(glob), index);
        }
        for name in ["kelp-1", "kelp-12", "reef-1", "mud", ""] {
            let mut found: Vec<usize> = of_rule.matching(name).collect();
            found.sort_unstable();
            let each = (0..globs.len()).filter(|&index| glob_matches(globs[index], name));
            assert_eq!(found, each.collect::<Vec<_>>(), "{name:?}");
        }
    }
}
