//! What was found before, and what has changed since.

use felting::diagnostic::{Finding, Report};
use felting::rules::Wanted;
use serde::Deserialize;

/// Findings of an earlier run, as [`findings_json`](crate::findings_json) wrote them.
#[derive(Clone, Debug, Default)]
pub struct Baseline {
    fabrics: Vec<Before>,
}

/// What was found in one fabric.
#[derive(Clone, Debug, Default, Deserialize)]
struct Before {
    #[serde(default)]
    file: String,
    #[serde(default)]
    findings: Vec<Gone>,
    #[serde(default)]
    accepted: Vec<BeforeAccepted>,
}

#[derive(Clone, Debug, Deserialize)]
struct BeforeAccepted {
    finding: Gone,
}

/// A finding that is no longer there.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize, serde::Serialize)]
#[non_exhaustive]
pub struct Gone {
    /// What it was known by.
    pub key: String,
    /// The rule.
    pub rule: String,
    /// Its severity, as a word.
    pub severity: String,
    /// What it said.
    pub message: String,
    /// What it was about.
    #[serde(default)]
    pub about: Vec<String>,
}

/// What is new, gone, and as before.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct Since {
    /// The keys of findings that there were before, accepted ones too.
    known: Vec<String>,
    /// What is gone, in the order of the earlier run.
    pub gone: Vec<Gone>,
}

impl Baseline {
    /// Reads what an earlier run wrote.
    ///
    /// # Errors
    ///
    /// If the text is something else, or was written before findings had keys.
    pub fn read(text: &str) -> Result<Self, String> {
        let wrong = || {
            "it is not what `felting check --format json` writes; write one with \
             `felting check --format json -o baseline.json`"
                .to_owned()
        };
        let page: serde_json::Value = serde_json::from_str(text).map_err(|_| wrong())?;
        let fabrics = match page.get("fabrics").and_then(|all| all.as_array()) {
            Some(all) => all.clone(),
            None if page.get("findings").is_some() => vec![page],
            None => return Err(wrong()),
        };
        let read = |one| serde_json::from_value(one).map_err(|_| wrong());
        Ok(Self { fabrics: fabrics.into_iter().map(read).collect::<Result<_, _>>()? })
    }

    /// What has changed in a fabric since, by all that is found in it now. Of a baseline of one fabric that is it, wherever its file was; of several
    /// the one with the same file.
    pub fn since(&self, file: &str, report: &Report) -> Since {
        let none = Before::default();
        let before = match &self.fabrics[..] {
            [one] => one,
            many => many.iter().find(|before| before.file == file).unwrap_or(&none),
        };
        let accepted = before.accepted.iter().map(|accepted| &accepted.finding.key);
        let mut known: Vec<String> =
            before.findings.iter().map(|gone| &gone.key).chain(accepted).cloned().collect();
        known.sort_unstable();
        let mut now: Vec<&str> =
            report.findings.iter().map(|finding| finding.key.as_str()).collect();
        now.extend(report.accepted.iter().map(|accepted| accepted.finding.key.as_str()));
        now.sort_unstable();
        let is_gone = |gone: &&Gone| now.binary_search(&gone.key.as_str()).is_err();
        let gone = before.findings.iter().filter(is_gone).cloned().collect();
        Since { known, gone }
    }
}

impl Since {
    /// Whether there was no such finding before.
    pub fn is_new(&self, finding: &Finding) -> bool {
        self.known.binary_search_by(|known| known.as_str().cmp(&finding.key)).is_err()
    }

    /// How many findings of a report are as before.
    pub fn as_before(&self, report: &Report) -> usize {
        report.findings.iter().filter(|finding| !self.is_new(finding)).count()
    }

    /// Leaves what is wanted of what is gone.
    pub fn retain(&mut self, wanted: &Wanted) {
        self.gone.retain(|gone| wanted.wants_such(&gone.rule, &gone.about));
    }

    /// The report with what is new alone.
    pub fn new_of(&self, report: &Report) -> Report {
        let mut new = report.clone();
        new.findings.retain(|finding| self.is_new(finding));
        new
    }
}
