//! Which findings somebody wants to see.

use super::all;
use crate::diagnostic::{Finding, Report, nearest};
use crate::source::Pattern;

/// Which findings are wanted: of which rules, and about what.
///
/// ```
/// use felting::rules::Wanted;
/// let lags = Wanted::default().only(["lag"]).unwrap().skip(["lag-standby"]).unwrap();
/// assert!(Wanted::default().only(["lga"]).unwrap_err().contains("did you mean lag?"));
/// # let _ = lags;
/// ```
#[derive(Clone, Debug, Default)]
pub struct Wanted {
    only: Vec<String>,
    skip: Vec<String>,
    about: Vec<Pattern>,
}

impl Wanted {
    /// Only what these rules, or rules of these families, find.
    ///
    /// # Errors
    ///
    /// A word that is neither, with the nearest that is.
    pub fn only<S: AsRef<str>>(
        mut self,
        words: impl IntoIterator<Item = S>,
    ) -> Result<Self, String> {
        self.only.extend(known(words)?);
        Ok(self)
    }

    /// Not what these rules, or rules of these families, find.
    ///
    /// # Errors
    ///
    /// A word that is neither, with the nearest that is.
    pub fn skip<S: AsRef<str>>(
        mut self,
        words: impl IntoIterator<Item = S>,
    ) -> Result<Self, String> {
        self.skip.extend(known(words)?);
        Ok(self)
    }

    /// Only what is about one of these, by name or pattern.
    ///
    /// # Errors
    ///
    /// A text that is neither a name nor a pattern.
    pub fn about<S: AsRef<str>>(
        mut self,
        names: impl IntoIterator<Item = S>,
    ) -> Result<Self, String> {
        for name in names {
            let name = name.as_ref();
            let pattern = Pattern::parse(name).map_err(|_| {
                format!("{name:?} is neither a name nor a pattern such as \"kelp-*\"")
            })?;
            self.about.push(pattern);
        }
        Ok(self)
    }

    /// Whether a finding is wanted.
    pub fn wants(&self, finding: &Finding) -> bool {
        self.wants_such(finding.rule.id, &finding.about)
    }

    /// Whether what a rule finds about some things is wanted.
    pub fn wants_such(&self, rule: &str, about: &[impl AsRef<str>]) -> bool {
        let about = || {
            let matches = |name: &str| self.about.iter().any(|one| one.matches(name));
            about.iter().any(|name| matches(name.as_ref()))
        };
        self.wants_of(rule) && (self.about.is_empty() || about())
    }

    /// Whether anything that a rule finds may be wanted.
    fn wants_of(&self, rule: &str) -> bool {
        let family = rule.split('-').next().unwrap_or(rule);
        let by = |words: &[String]| words.iter().any(|word| word == rule || word == family);
        (self.only.is_empty() || by(&self.only)) && !by(&self.skip)
    }

    /// Leaves what is wanted in a report, and returns how many findings it had beside.
    pub fn retain(&self, report: &mut Report) -> usize {
        let before = report.total();
        report.findings.retain(|finding| self.wants(finding));
        report.accepted.retain(|accepted| self.wants(&accepted.finding));
        // What those are about that are counted alone nobody knows any more.
        report.beyond.retain(|beyond| self.wants_of(beyond.rule));
        before - report.total()
    }
}

/// The words, each of which must be a rule or a family.
fn known<S: AsRef<str>>(words: impl IntoIterator<Item = S>) -> Result<Vec<String>, String> {
    let check = |word: S| {
        let word = word.as_ref();
        let is = all().any(|rule| rule.id == word || rule.family() == word);
        let names = || all().flat_map(|rule| [rule.id, rule.family()]);
        match (is, nearest(word, names())) {
            (true, _) => Ok(word.to_owned()),
            (false, Some(nearest)) => {
                Err(format!("there is no rule or family {word:?}; did you mean {nearest}?"))
            }
            (false, None) => Err(format!(
                "there is no rule or family {word:?}; `felting explain` lists them all"
            )),
        }
    };
    words.into_iter().map(check).collect()
}
