//! Findings that somebody answers for.

use std::collections::BTreeSet;

use jiff::civil::Date;
use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::terms::Terms;
use crate::diagnostic::Finding;
use crate::fabric::{Accept, Fabric};
use crate::source::Pattern;

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
    /// Those of what matches a pattern.
    matched: Vec<(Pattern, usize)>,
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
                if pattern.globs().iter().any(|glob| glob.contains('*')) {
                    of_rule.matched.push((pattern, index));
                    continue;
                }
                for name in pattern.globs() {
                    of_rule.named.entry(name.clone()).or_default().push(index);
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
            found.extend(of_rule.named.get(name).into_iter().flatten());
            let matched = of_rule.matched.iter().filter(|(pattern, _)| pattern.matches(name));
            found.extend(matched.map(|(_, index)| index));
        }
        found
    }
}

pub(crate) fn expired(accept: &Accept, today: Option<Date>) -> bool {
    accept.until.zip(today).is_some_and(|(until, today)| until.value < today)
}
