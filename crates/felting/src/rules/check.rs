//! What a rule is, what it reads, and how it reports.

use std::sync::OnceLock;

use jiff::civil::Date;
use rustc_hash::FxHashSet;
use smol_str::SmolStr;

use super::kept::Kept;
use super::severities::other_severity;
use crate::behaviour::State;
use crate::diagnostic::{Diagnostic, Finding, Hits, Label, Risk, Rule, Severity, Span};
use crate::fabric::{Condition, DeviceId, Fabric};

/// A rule and how it is checked.
pub(crate) struct Check {
    pub(crate) rule: Rule,
    pub(crate) check: fn(&Context<'_>, &mut Findings<'_>),
}

/// What a rule reads.
#[derive(Clone, Copy)]
pub(crate) struct Context<'a> {
    pub(crate) fabric: &'a Fabric,
    pub(crate) state: &'a State,
    /// The acceptances that matched a finding, by their place in the file's order; only the rules
    /// about acceptances see it filled.
    pub(crate) matched: &'a FxHashSet<usize>,
    /// What the rules before found; only those that run last see it filled.
    pub(super) found: &'a [Kept],
    /// The day on which acceptances are judged.
    pub(crate) today: Option<Date>,
    /// The state with nothing down, once somebody asks for it.
    pub(crate) whole: &'a OnceLock<State>,
}

/// Where a rule's findings go.
pub(crate) struct Findings<'a> {
    pub(super) rule: &'static Rule,
    pub(super) severity: Severity,
    /// Whether the fabric gives the rule its severity.
    pub(super) fixed: bool,
    pub(super) fabric: &'a Fabric,
    pub(super) kept: &'a mut Kept,
}

impl<'f> Findings<'f> {
    /// Of a rule as it is by itself.
    #[cfg(test)]
    pub(super) fn of(rule: &'static Rule, fabric: &'f Fabric, kept: &'f mut Kept) -> Self {
        Self { rule, severity: rule.severity, fixed: false, fabric, kept }
    }

    /// Reports a finding at its primary place.
    pub(crate) fn report(
        &mut self,
        at: Span,
        label: impl Into<String>,
        message: impl Into<String>,
    ) -> Draft<'_, 'f> {
        let finding = self.kept.push(Finding {
            rule: self.rule,
            severity: self.severity,
            what: Diagnostic::new(message, at, label, String::new()),
            wire: String::new(),
            about: Vec::new(),
            hits: Hits::default(),
            risk: None,
            key: SmolStr::default(),
        });
        Draft { finding, fixed: self.fixed, fabric: self.fabric }
    }
}

/// A finding that is being written.
pub(crate) struct Draft<'a, 'f> {
    finding: &'a mut Finding,
    fixed: bool,
    fabric: &'f Fabric,
}

impl Draft<'_, '_> {
    /// Another severity than the rule's, for a case that is better or worse than most. What a fabric
    /// says of the rule still holds.
    pub(crate) fn severity(self, severity: Severity) -> Self {
        let rule = self.finding.rule;
        debug_assert!(
            severity == rule.severity
                || other_severity(rule.id).is_some_and(|(other, _)| other == severity),
            "{} is not said to have findings that are a {severity}",
            rule.id
        );
        if !self.fixed {
            self.finding.severity = severity;
        }
        self
    }

    /// The other side of the contradiction.
    pub(crate) fn related(self, span: Span, text: impl Into<String>) -> Self {
        self.finding.what.related.push(Label { span, text: text.into() });
        self
    }

    /// What happens on the wire.
    pub(crate) fn wire(self, text: impl Into<String>) -> Self {
        self.finding.wire = text.into();
        self
    }

    /// What to do.
    pub(crate) fn remedy(self, text: impl Into<String>) -> Self {
        self.finding.what.remedy = text.into();
        self
    }

    /// The loss that it is about, in the words that `--cut` takes: who would be cut off by it is counted.
    pub(crate) fn when_lost(self, lost: impl Into<String>) -> Self {
        self.finding.risk = Some(Risk { lost: lost.into(), endpoints: 0, hosts: 0 });
        self
    }

    /// That what somebody expects fails because of it.
    pub(crate) fn fails_expectation(self) -> Self {
        self.finding.hits.expectations += 1;
        self
    }

    /// A switch or host that it is about, and the pair that it is in.
    pub(crate) fn about(self, device: DeviceId) -> Self {
        let made = self.fabric.device(device);
        let pair = made.pair.map(|(pair, _)| &self.fabric.pair(pair).name.value);
        [Some(&made.name.value), pair].into_iter().flatten().fold(self, Self::about_name)
    }

    /// Another thing that it is about, by name.
    pub(crate) fn about_name(self, name: &SmolStr) -> Self {
        if !self.finding.about.contains(name) {
            self.finding.about.push(name.clone());
        }
        self
    }
}

impl<'a> Context<'a> {
    /// What the rules before found, as far as it is kept. Only rules that run last may ask.
    pub(crate) fn found(&self) -> impl Iterator<Item = &'a Finding> + use<'a> {
        self.found.iter().flat_map(|kept| &kept.findings)
    }

    /// The state with nothing down, if anything is.
    pub(crate) fn whole(&self) -> Option<&State> {
        let none = Condition::default();
        let down = *self.state.condition() != none;
        down.then(|| self.whole.get_or_init(|| self.state.given(&none)))
    }

    /// Whether a rule before has found something grave that has to do with one of some switches. Only rules
    /// that run last may ask.
    pub(crate) fn is_told(&self, families: &[&str], devices: &[DeviceId]) -> bool {
        let names = |name: &SmolStr| {
            let device = self.fabric.find_device(name);
            device.is_some_and(|device| devices.contains(&device))
        };
        self.found().any(|finding| {
            finding.severity > Severity::Hint
                && families.contains(&finding.rule.family())
                && finding.about.iter().any(names)
        })
    }
}
