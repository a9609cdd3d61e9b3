//! What is said to people: places in files, faults and findings, and how bad they are. On the ground floor, so that
//! every layer can say what it finds.

mod nearest;
mod plain;
mod report;
mod span;

use std::fmt;

pub(crate) use nearest::MOST_NAME;
pub use nearest::{nearest, some_of};
pub use plain::{is_hostile, plain};
pub use report::{Accepted, Beyond, Finding, Hits, Report, Risk, Rule, Verdict};
pub use span::{At, FileId, Location, Place, Source, Sources, Span};

/// How bad a finding is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Severity {
    /// Legal, but people regret it.
    Hint,
    /// Works today, breaks on the first failure or change.
    Warning,
    /// The traffic named is lost or goes where it must not.
    Error,
}

impl serde::Serialize for Severity {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.word())
    }
}

impl Severity {
    /// All severities, the mildest first.
    pub const ALL: &'static [Self] = &[Self::Hint, Self::Warning, Self::Error];

    /// The word in the file, on the command line and in findings.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Hint => "hint",
            Self::Warning => "warning",
            Self::Error => "error",
        }
    }
}

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.word())
    }
}

/// A place in a fabric file and what is to be said about it, in a few words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Label {
    /// The place.
    pub span: Span,
    /// What stands there.
    pub text: String,
}

/// What an input fault and a finding both say.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Diagnostic {
    /// What is wrong, in one line that stands alone.
    pub message: String,
    /// The place at fault, or the first of the two sides. An empty place at the start of a file means the file as a
    /// whole.
    pub primary: Label,
    /// The other sides.
    pub related: Vec<Label>,
    /// What to do.
    pub remedy: String,
}

impl Diagnostic {
    pub(crate) fn new(
        message: impl Into<String>,
        at: Span,
        label: impl Into<String>,
        remedy: impl Into<String>,
    ) -> Self {
        Self {
            message: in_line(message.into()),
            primary: Label { span: at, text: in_line(label.into()) },
            related: Vec::new(),
            remedy: in_line(remedy.into()),
        }
    }
}

/// A text that is shown in a line.
fn in_line(text: String) -> String {
    match plain(&text) {
        std::borrow::Cow::Owned(plain) => plain,
        std::borrow::Cow::Borrowed(_) => text,
    }
}
