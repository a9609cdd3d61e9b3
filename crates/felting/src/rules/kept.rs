//! What a rule finds, as far as anybody reads on: the first findings are kept, and more are counted.

use std::sync::Arc;

use rustc_hash::FxHashSet;

use super::accepted::Acceptances;
use crate::diagnostic::{Accepted, Beyond, Finding, Report};

/// The findings of one rule.
pub(super) struct Kept {
    acceptances: Arc<Acceptances>,
    most: usize,
    pub(super) findings: Vec<Finding>,
    /// How many more there are, by severity and by whether they are accepted.
    pub(super) beyond: Vec<Beyond>,
    /// The acceptances that matched one of these, by their place in the file's order.
    pub(super) matched: FxHashSet<usize>,
}

impl Kept {
    pub(super) fn under(acceptances: &Arc<Acceptances>) -> Self {
        Self {
            acceptances: Arc::clone(acceptances),
            most: Report::MOST_OF_RULE,
            findings: Vec::new(),
            beyond: Vec::new(),
            matched: FxHashSet::default(),
        }
    }

    /// Adds a finding, which may still be written on.
    pub(super) fn push(&mut self, finding: Finding) -> &mut Finding {
        self.settle();
        self.findings.push(finding);
        self.findings.last_mut().expect("pushed just now")
    }

    /// Counts the last finding instead of keeping it, if it is one too many.
    pub(super) fn settle(&mut self) {
        while self.findings.len() > self.most {
            let Some(finding) = self.findings.pop() else { return };
            let found = self.acceptances.of(&finding);
            self.matched.extend(&found.matched);
            self.count(&finding, found.holding.is_some());
        }
    }

    /// Adds what there is to a report, and what it meets to the acceptances that matched something.
    pub(super) fn sort_into(mut self, report: &mut Report, matched: &mut FxHashSet<usize>) {
        self.settle();
        report.beyond.extend(self.beyond);
        matched.extend(self.matched);
        for finding in self.findings {
            let met = self.acceptances.of(&finding);
            matched.extend(met.matched);
            match met.holding {
                Some(accept) => {
                    let reason = accept.reason.as_ref().map(|reason| reason.value.clone());
                    report.accepted.push(Accepted {
                        finding,
                        reason: reason.unwrap_or_default(),
                        until: accept.until.map(|until| until.value),
                    });
                }
                None => report.findings.push(finding),
            }
        }
    }

    fn count(&mut self, finding: &Finding, accepted: bool) {
        let severity = finding.severity;
        let is_such = |one: &&mut Beyond| (one.severity, one.accepted) == (severity, accepted);
        match self.beyond.iter_mut().find(is_such) {
            Some(beyond) => beyond.count += 1,
            None => {
                let rule = finding.rule.id;
                self.beyond.push(Beyond { rule, severity, accepted, count: 1 });
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diagnostic::{Diagnostic, Hits};
    use crate::fabric::Fabric;
    use crate::rules::terms::Terms;

    #[test]
    fn more_than_are_kept_are_counted_by_severity_and_acceptance() {
        let fabric = Fabric::from_text(
            "f.toml",
            r#"
            [[switch]]
            name = "kelp-[1-6]"
            [[accept]]
            rule = "cable-loop"
            on = "kelp-4"
            reason = "known"
            "#,
        );
        let acceptances = Arc::new(Acceptances::under(&fabric, Terms::default()));
        let rule = crate::rules::find("cable-loop").unwrap();
        let mut kept = Kept { most: 2, ..Kept::under(&acceptances) };
        for (_, device) in fabric.devices() {
            kept.push(Finding {
                rule,
                severity: rule.severity,
                what: Diagnostic::new("a loop", device.name.span, "here", String::new()),
                wire: String::new(),
                about: vec![device.name.value.clone()],
                hits: Hits::default(),
                risk: None,
                key: "".into(),
            });
        }
        kept.settle();
        let told: Vec<&str> = kept.findings.iter().map(|one| one.about[0].as_str()).collect();
        assert_eq!(told, ["kelp-1", "kelp-2"]);
        let counted: Vec<_> = kept.beyond.iter().map(|one| (one.accepted, one.count)).collect();
        assert_eq!(counted, [(false, 3), (true, 1)]);
        assert_eq!(kept.matched.len(), 1);
    }
}
