//! On what terms a fabric is judged.

use jiff::civil::Date;

use crate::diagnostic::Severity;
use crate::fabric::Fabric;

/// As what a fabric is judged: as of a day, and whether what its files accept and switch off holds.
///
/// ```
/// use felting::rules::Terms;
/// use felting::{Condition, Fabric, Progress, State};
/// let text = felting::rules::find("lag-protocol-clash").unwrap().broken;
/// let hidden = format!("{text}\n[severities]\nlag-protocol-clash = \"off\"\n");
/// let fabric = Fabric::from_text("f.toml", &hidden);
/// let quiet = Progress::default();
/// let state = State::of(&fabric, &Condition::default(), &quiet);
/// assert!(state.check(None, &quiet).findings.is_empty());
/// assert_eq!(state.check(Terms::default().ignore_severities(), &quiet).findings.len(), 1);
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Terms {
    pub(super) day: Option<Date>,
    pub(super) ignores_accepts: bool,
    pub(super) ignores_severities: bool,
}

impl Terms {
    /// As of a day: acceptances that ended before it no longer hold.
    pub fn day(mut self, day: Option<Date>) -> Self {
        self.day = day;
        self
    }

    /// As if nobody had accepted anything.
    pub fn ignore_accepts(mut self) -> Self {
        self.ignores_accepts = true;
        self
    }

    /// As if nobody had given a rule another severity, or switched it off.
    pub fn ignore_severities(mut self) -> Self {
        self.ignores_severities = true;
        self
    }

    /// What the fabric says of a rule's severity, if it says anything: another, or off.
    #[allow(clippy::option_option, reason = "off is not the same as unsaid")]
    pub(super) fn severity(self, fabric: &Fabric, rule: &str) -> Option<Option<Severity>> {
        if self.ignores_severities { None } else { fabric.severities.get(rule).map(|at| at.value) }
    }
}

impl From<Option<Date>> for Terms {
    fn from(day: Option<Date>) -> Self {
        Self::default().day(day)
    }
}
