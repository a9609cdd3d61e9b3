//! Findings that somebody answers for.

use std::collections::BTreeSet;

use jiff::civil::Date;
use rustc_hash::{FxHashMap, FxHashSet};
use smol_str::SmolStr;

use crate::diagnostic::{Accepted, Finding, Report};
use crate::fabric::{Accept, Fabric};
use crate::source::Pattern;

pub(super) struct Sorted {
    pub(super) report: Report,
    /// The acceptances that matched a finding, by their place in the file's order.
    pub(super) matched: FxHashSet<usize>,
}

pub(super) fn accepted(
    fabric: &Fabric,
    list: Vec<Finding>,
    today: Option<Date>,
    ignored: bool,
) -> Sorted {
    let mut sorted = Sorted { report: Report::default(), matched: FxHashSet::default() };
    let by_name = ByName::of(fabric);
    for finding in list {
        let mut holding = None;
        for index in by_name.matching(&finding) {
            let accept = &fabric.accepts[index];
            sorted.matched.insert(index);
            if !ignored && !expired(accept, today) {
                holding = holding.or(Some(accept));
            }
        }
        match holding {
            Some(accept) => sorted.report.accepted.push(Accepted {
                finding,
                reason: accept
                    .reason
                    .as_ref()
                    .map(|reason| reason.value.clone())
                    .unwrap_or_default(),
                until: accept.until.map(|until| until.value),
            }),
            None => sorted.report.findings.push(finding),
        }
    }
    sorted
}

/// The acceptances, by their rule and by what they name, so that many of them meet many findings quickly.
#[derive(Default)]
struct ByName<'f> {
    of_rule: FxHashMap<&'f str, OfRule>,
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

impl<'f> ByName<'f> {
    fn of(fabric: &'f Fabric) -> Self {
        let mut all = Self::default();
        for (index, accept) in fabric.accepts.iter().enumerate() {
            let of_rule = all.of_rule.entry(accept.rule.value.as_str()).or_default();
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
