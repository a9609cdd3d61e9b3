//! Input faults.

mod faults;
mod kind;

pub(crate) use faults::Faults;
pub use kind::FaultKind;

use crate::diagnostic::{Diagnostic, Label, Span};

/// An input fault: something that cannot be encoded or does not exist.
///
/// Reading goes on after it, and rules run on what could be compiled.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fault {
    /// Its kind.
    pub kind: FaultKind,
    /// What is wrong, where, what was expected there, and what to do.
    pub what: Diagnostic,
}

impl Fault {
    /// The place at fault; an empty place at the start of a file means the file as a whole.
    pub fn at(&self) -> Span {
        self.what.primary.span
    }

    pub(crate) fn related(&mut self, span: Span, text: impl Into<String>) {
        self.what.related.push(Label { span, text: text.into() });
    }
}
