//! What rules find, and the rules as people read about them.

use std::fmt;

use jiff::civil::Date;
use smol_str::SmolStr;

use super::{Diagnostic, Severity};

/// A rule of the catalogue.
#[non_exhaustive]
pub struct Rule {
    /// Its id: the family, then the fault.
    pub id: &'static str,
    /// How bad what it finds is, unless a fabric says otherwise.
    pub severity: Severity,
    /// The fault in a few words.
    pub summary: &'static str,
    /// Why it is one: the standard or the mechanism behind it.
    pub explain: &'static str,
    /// Standards and sections.
    pub sources: &'static [&'static str],
    /// The smallest fabric that has the fault.
    pub broken: &'static str,
    /// What to replace in it, and by what, to mend it.
    pub mend: &'static [(&'static str, &'static str)],
}

impl Rule {
    /// The broken example, mended.
    ///
    /// ```
    /// let rule = felting::rules::find("lag-protocol-clash").unwrap();
    /// let fabric = felting::Fabric::from_text("mended.toml", &rule.mended());
    /// assert!(fabric.check().findings.is_empty());
    /// ```
    pub fn mended(&self) -> String {
        self.mend.iter().fold(self.broken.to_owned(), |text, (from, to)| text.replacen(from, to, 1))
    }

    /// The family: the first word of the id.
    pub fn family(&self) -> &'static str {
        self.id.split('-').next().unwrap_or(self.id)
    }
}

impl fmt::Debug for Rule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Rule({})", self.id)
    }
}

/// One contradiction or risk.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Finding {
    /// The rule that found it.
    pub rule: &'static Rule,
    /// How bad it is in this fabric.
    pub severity: Severity,
    /// What is wrong, where, and what to do.
    pub what: Diagnostic,
    /// What happens on the wire because of it.
    pub wire: String,
    /// The switches, hosts, pairs and segments it is about, by name.
    pub about: Vec<SmolStr>,
}

/// A finding that a fabric accepts.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Accepted {
    /// The finding.
    pub finding: Finding,
    /// Why it is accepted; empty if nobody said.
    pub reason: SmolStr,
    /// Until when.
    pub until: Option<Date>,
}

/// All that the rules found in a fabric.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct Report {
    /// What nobody accepted, by place.
    pub findings: Vec<Finding>,
    /// What somebody accepted, by place.
    pub accepted: Vec<Accepted>,
}

impl Report {
    /// The worst severity found, not counting what is accepted.
    pub fn worst(&self) -> Option<Severity> {
        self.findings.iter().map(|finding| finding.severity).max()
    }

    /// How many findings have a severity.
    pub fn count(&self, severity: Severity) -> usize {
        self.findings.iter().filter(|finding| finding.severity == severity).count()
    }
}
