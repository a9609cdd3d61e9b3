//! What rules find, and the rules as people read about them.

use std::fmt;

use jiff::civil::Date;
use serde::{Serialize, Serializer};
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

/// Whom a finding hits: who does not reach what they are meant to reach, and what is expected in vain.
///
/// Endpoints of one segment are meant to reach each other and their gateways, and those of a VRF each other and what
/// it leads to outside. Hit are the fewest without whom nothing would be lost: the one whose gateway is wrong, and not
/// all who do not reach it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
#[non_exhaustive]
pub struct Hits {
    /// How many endpoints.
    pub endpoints: usize,
    /// On how many hosts these are.
    pub hosts: usize,
    /// How many expectations fail because of it.
    pub expectations: usize,
    /// Whether it may be more endpoints: in a large fabric not all are walked.
    #[serde(rename = "at_least")]
    pub is_partial: bool,
}

impl Hits {
    /// Whether it hits nobody.
    pub fn is_empty(self) -> bool {
        self.endpoints == 0 && self.expectations == 0
    }
}

impl fmt::Display for Hits {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let count = |count: usize, what: &str| match count {
            0 => None,
            1 => Some(format!("1 {what}")),
            many => Some(format!("{many} {what}s")),
        };
        let least = if self.is_partial { "at least " } else { "" };
        let on = count(self.hosts, "host").map(|hosts| format!(" on {hosts}"));
        let endpoints = count(self.endpoints, "endpoint")
            .map(|endpoints| format!("{least}{endpoints}{}", on.unwrap_or_default()));
        let parts: Vec<String> =
            endpoints.into_iter().chain(count(self.expectations, "expectation")).collect();
        f.write_str(&parts.join(", "))
    }
}

/// What one loss would do because of a finding.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[non_exhaustive]
pub struct Risk {
    /// What would be lost, in the words that `--cut` takes.
    pub lost: String,
    /// How many endpoints would lose what they reach today.
    pub endpoints: usize,
    /// On how many hosts these are.
    pub hosts: usize,
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
    /// Whom it hits as things are.
    pub hits: Hits,
    /// Whom one loss would hit because of it, where it is about what is left when something is lost.
    pub risk: Option<Risk>,
    /// What it is known by from one run to the next: the rule and what it is about. Neither another wording nor
    /// another line changes it; of several alike the second has `#2` at its end.
    pub key: SmolStr,
}

impl Finding {
    /// Where it stands among others as people read them, the lower the earlier: first what cuts off most, then errors
    /// that hit nobody who is modelled, then what one loss would make cut off most, then the rest, the worst first.
    pub fn rank(&self) -> impl Ord + use<> {
        let hit = self.hits.endpoints.max(self.hits.expectations);
        let risk = self.risk.as_ref().map_or(0, |risk| risk.endpoints);
        let is_error = self.severity == Severity::Error;
        std::cmp::Reverse((hit, is_error, risk, self.severity))
    }
}

impl fmt::Display for Finding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}[{}]: {}", self.severity, self.rule.id, self.what.message)
    }
}

/// Two findings are the same that have one key and say the same, wherever it is written.
impl PartialEq for Finding {
    fn eq(&self, other: &Self) -> bool {
        let says = |one: &Self| (one.severity, one.what.message.clone(), one.wire.clone());
        self.key == other.key && says(self) == says(other)
    }
}

/// The finding without places, which mean nothing without the fabric that has them.
impl Serialize for Finding {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        #[derive(Serialize)]
        struct Row<'a> {
            key: &'a str,
            rule: &'static str,
            severity: &'static str,
            message: &'a str,
            on_the_wire: &'a str,
            remedy: &'a str,
            about: Vec<&'a str>,
            hits: Hits,
            #[serde(skip_serializing_if = "Option::is_none")]
            risk: Option<&'a Risk>,
        }
        Row {
            key: &self.key,
            rule: self.rule.id,
            severity: self.severity.word(),
            message: &self.what.message,
            on_the_wire: &self.wire,
            remedy: &self.what.remedy,
            about: self.about.iter().map(SmolStr::as_str).collect(),
            hits: self.hits,
            risk: self.risk.as_ref(),
        }
        .serialize(serializer)
    }
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

/// Findings of a rule beyond [those that are kept](Report::MOST_OF_RULE).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[non_exhaustive]
pub struct Beyond {
    /// The id of the rule.
    pub rule: &'static str,
    /// How bad they are.
    pub severity: Severity,
    /// Whether somebody accepted them.
    pub accepted: bool,
    /// How many there are.
    pub count: usize,
}

/// All that the rules found in a fabric.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct Report {
    /// What nobody accepted, by place.
    pub findings: Vec<Finding>,
    /// What somebody accepted, by place.
    pub accepted: Vec<Accepted>,
    /// What there is more of than is kept.
    pub beyond: Vec<Beyond>,
    /// How many faults the input has, because of which the findings are not all that there are.
    pub input_faults: usize,
    /// How many findings are held back, as they have to do with what faults of the input may have left out.
    pub held_back: usize,
    /// The rules that the fabric switched off, and which therefore found nothing, in order.
    pub rules_off: Vec<&'static str>,
}

/// What a report comes to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[must_use]
pub enum Verdict {
    /// Nothing as severe as what is denied.
    Clean,
    /// Something is.
    Found,
    /// The fabric could not be read whole, so that nobody knows.
    Incomplete,
}

impl Report {
    /// So many findings of one rule are kept, the first that it comes to; [more](Self::beyond) are counted.
    pub const MOST_OF_RULE: usize = 10_000;

    /// What the report comes to, if findings are denied from some severity on; none denies nothing.
    ///
    /// ```
    /// use felting::diagnostic::{Severity, Verdict};
    /// let fabric = felting::Fabric::from_text("f.toml", "[[switch]]\nname = \"kelp-a\"\nnumbr = 1\n");
    /// assert_eq!(fabric.check().verdict(Some(Severity::Error)), Verdict::Incomplete);
    /// ```
    pub fn verdict(&self, denied: Option<Severity>) -> Verdict {
        match (self.input_faults, self.worst().zip(denied)) {
            (1.., _) => Verdict::Incomplete,
            (0, Some((worst, denied))) if worst >= denied => Verdict::Found,
            _ => Verdict::Clean,
        }
    }

    /// The worst severity found, not counting what is accepted.
    pub fn worst(&self) -> Option<Severity> {
        let beyond = self.beyond.iter().filter(|beyond| !beyond.accepted);
        let severities = self.findings.iter().map(|finding| finding.severity);
        severities.chain(beyond.map(|beyond| beyond.severity)).max()
    }

    /// How many findings have a severity, those counted alone with them.
    pub fn count(&self, severity: Severity) -> usize {
        let kept = self.findings.iter().filter(|finding| finding.severity == severity).count();
        kept + self.count_beyond(severity, false)
    }

    /// How many accepted findings have a severity, those counted alone with them.
    pub fn count_accepted(&self, severity: Severity) -> usize {
        let kept = self.accepted.iter().filter(|one| one.finding.severity == severity).count();
        kept + self.count_beyond(severity, true)
    }

    /// How many findings there are of all severities.
    pub fn total(&self) -> usize {
        Severity::ALL.iter().map(|&severity| self.count(severity)).sum()
    }

    /// How many accepted findings there are of all severities.
    pub fn total_accepted(&self) -> usize {
        Severity::ALL.iter().map(|&severity| self.count_accepted(severity)).sum()
    }

    fn count_beyond(&self, severity: Severity, accepted: bool) -> usize {
        let such = |one: &&Beyond| (one.severity, one.accepted) == (severity, accepted);
        self.beyond.iter().filter(such).map(|one| one.count).sum()
    }
}
