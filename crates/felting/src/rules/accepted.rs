//! Findings that somebody answers for.

use jiff::civil::Date;
use rustc_hash::FxHashSet;

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
    let patterns: Vec<Vec<Pattern>> = fabric
        .accepts
        .iter()
        .map(|accept| accept.on.iter().filter_map(|on| Pattern::parse(&on.value).ok()).collect())
        .collect();
    for finding in list {
        let matches = |(accept, patterns): &(&Accept, &Vec<Pattern>)| {
            let named =
                || finding.about.iter().any(|name| patterns.iter().any(|p| p.matches(name)));
            accept.rule.value == finding.rule.id && (accept.on.is_empty() || named())
        };
        let mut holding = None;
        for (index, (accept, _)) in
            fabric.accepts.iter().zip(&patterns).enumerate().filter(|(_, pair)| matches(pair))
        {
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

pub(crate) fn expired(accept: &Accept, today: Option<Date>) -> bool {
    accept.until.zip(today).is_some_and(|(until, today)| until.value < today)
}
