use std::fmt::Write as _;

use rustc_hash::FxHashMap;

use crate::diagnostic::{Diagnostic, Label, Span, nearest};

/// What kind of input fault it is. Kinds have ids as rules do, so that people can look them up.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum FaultKind {
    /// A file is missing or the system refuses to read it.
    Unreadable,
    /// A folder where a file is due.
    Folder,
    /// A file, a text or a name that is too large to be meant.
    TooLarge,
    /// A file that is not UTF-8 text.
    NotUtf8,
    /// A file without any statement.
    Empty,
    /// Text that is not TOML, or not CSV.
    Syntax,
    /// A key that the table does not have.
    UnknownKey,
    /// A key that the table needs and does not have.
    MissingKey,
    /// A value of another type than the key takes.
    WrongType,
    /// A value of the right type that cannot be encoded.
    BadValue,
    /// An address with host bits where a prefix is due.
    HostBits,
    /// A name that two things have.
    NameTwice,
    /// A name that nothing has.
    UnknownName,
    /// A pattern that matches nothing.
    MatchesNothing,
    /// A range that cannot be read.
    BadRange,
    /// A range that would make too many things.
    RangeTooLarge,
    /// A cable run whose two sides are of different length.
    UnequalRun,
    /// Two deviations for one switch in one statement.
    DiffersTwice,
    /// A pair that has not two sides.
    PairSides,
    /// A stack that cannot be made of its members.
    StackMembers,
    /// A file that includes itself.
    IncludeCycle,
    /// An include that leads out of the folder.
    IncludeOutside,
    /// A CSV file without a column that it needs.
    MissingColumn,
    /// More faults than are kept.
    TooMany,
}

impl FaultKind {
    /// Every kind.
    pub const ALL: &'static [Self] = &[
        Self::Unreadable,
        Self::Folder,
        Self::TooLarge,
        Self::NotUtf8,
        Self::Empty,
        Self::Syntax,
        Self::UnknownKey,
        Self::MissingKey,
        Self::WrongType,
        Self::BadValue,
        Self::HostBits,
        Self::NameTwice,
        Self::UnknownName,
        Self::MatchesNothing,
        Self::BadRange,
        Self::RangeTooLarge,
        Self::UnequalRun,
        Self::DiffersTwice,
        Self::PairSides,
        Self::StackMembers,
        Self::IncludeCycle,
        Self::IncludeOutside,
        Self::MissingColumn,
        Self::TooMany,
    ];

    /// The id, as shown in brackets and as `explain` takes it.
    pub const fn id(self) -> &'static str {
        self.facts().0
    }

    /// What the fault means and what to do, in a sentence or two.
    pub const fn explain(self) -> &'static str {
        self.facts().1
    }

    const fn facts(self) -> (&'static str, &'static str) {
        match self {
            Self::Unreadable => (
                "input-unreadable",
                "A file could not be read. Check its name, that it exists, and that you may read it.",
            ),
            Self::Folder => (
                "input-folder",
                "A folder was named where a file is due. Name the fabric file in it.",
            ),
            Self::TooLarge => (
                "input-too-large",
                "A file may have 64 MiB, a text in it 64 KiB, a name 255 bytes. Split the file with `include`; a longer text or name is a slip.",
            ),
            Self::NotUtf8 => {
                ("input-not-utf8", "Fabric files are UTF-8 text. Save the file in that encoding.")
            }
            Self::Empty => (
                "input-empty",
                "A file without a single statement describes nothing. Write at least a [fabric] table or one switch.",
            ),
            Self::Syntax => (
                "input-syntax",
                "The text is not TOML (or, for cables, not CSV). What could be read around the place was read.",
            ),
            Self::UnknownKey => (
                "input-unknown-key",
                "A key that the table does not have is most often a misspelling; it would silently do nothing.",
            ),
            Self::MissingKey => {
                ("input-missing-key", "The statement cannot be understood without this key.")
            }
            Self::WrongType => (
                "input-wrong-type",
                "The key takes a value of another type, for example a text in quotes instead of a number.",
            ),
            Self::BadValue => (
                "input-bad-value",
                "The value cannot be encoded in the protocol or is none of the words the key takes. A device would refuse it too.",
            ),
            Self::HostBits => (
                "input-host-bits",
                "A prefix is due, and the address has bits set beyond the prefix length.",
            ),
            Self::NameTwice => (
                "input-name-twice",
                "Two statements make the same thing. Write it once, and what is different on some switches as a deviation in `differs`. Only an overlay document may say a thing again.",
            ),
            Self::UnknownName => {
                ("input-unknown-name", "A name refers to a thing that no statement makes.")
            }
            Self::MatchesNothing => (
                "input-matches-nothing",
                "A pattern in `on` matches no switch or host, so the statement would do nothing.",
            ),
            Self::BadRange => (
                "input-bad-range",
                "Ranges are written et[1-48], hull-[01-06], kelp-[a-b] or [1,3,5-7]; names are made of letters, digits and -_./:",
            ),
            Self::RangeTooLarge => (
                "input-range-too-large",
                "A range would make over a million things. That is a slip of the finger, so nothing is built from it.",
            ),
            Self::UnequalRun => (
                "input-unequal-run",
                "The two sides of a cable run are paired off in order, so they must name as many ports. Ranges on one side multiply, the leftmost slowest.",
            ),
            Self::DiffersTwice => (
                "input-differs-twice",
                "Two deviations in one statement match the same switch, and nothing says which one holds.",
            ),
            Self::PairSides => (
                "input-pair-sides",
                "A pair has two sides, which are two different switches, and a switch is in one pair only.",
            ),
            Self::StackMembers => (
                "input-stack-members",
                "A stack is made of a switch and its members, and its ports are named by member, such as 1/ge1. A switch makes up one stack only.",
            ),
            Self::IncludeCycle => {
                ("input-include-cycle", "A file includes itself, directly or through others.")
            }
            Self::IncludeOutside => (
                "input-include-outside",
                "Includes stay inside the folder of the root file, so that a fabric can be handed on as one folder.",
            ),
            Self::MissingColumn => (
                "input-missing-column",
                "A cable list needs the columns near, near_port, far and far_port; medium, length and label may follow.",
            ),
            Self::TooMany => (
                "input-too-many",
                "So many faults were found that the rest is only counted. Often one slip is behind them all: mend the first ones and check again.",
            ),
        }
    }
}

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

/// The most faults that are kept; what is beyond is counted.
const MOST_KEPT: usize = 10_000;

/// The most faults of one kind that are kept of one place, which are told as one; others are counted with it.
const MOST_OF_PLACE: usize = 64;

/// For so many faults the name that may have been meant is looked for.
const MOST_EXPLAINED: usize = 200;

/// The most bytes of a text in a fault that are shown.
const MOST_SHOWN: usize = 1000;

/// The faults of one run.
#[derive(Debug, Default)]
pub(crate) struct Faults {
    kept: Vec<Fault>,
    /// How many there are of each place and kind of those that are kept.
    of_place: FxHashMap<(Span, FaultKind), usize>,
    /// How many there are of other places, and the first of these.
    beyond: Option<(Span, usize)>,
    /// The last of those that are not kept.
    spare: Option<Box<Fault>>,
}

impl Faults {
    pub(crate) fn add(
        &mut self,
        kind: FaultKind,
        at: Span,
        message: impl Into<String>,
        expected: impl Into<String>,
        remedy: impl Into<String>,
    ) -> &mut Fault {
        let (message, expected) = (cut(message.into()), cut(expected.into()));
        let what = Diagnostic::new(message, at, expected, cut(remedy.into()));
        self.keep(Fault { kind, what })
    }

    fn keep(&mut self, fault: Fault) -> &mut Fault {
        if self.keeps(fault.at(), fault.kind) {
            *self.of_place.entry((fault.at(), fault.kind)).or_default() += 1;
            self.kept.push(fault);
            return self.kept.last_mut().expect("pushed just now");
        }
        self.spare.insert(Box::new(fault))
    }

    /// Whether a fault is kept; if not, it is counted. Asked before its texts are made, it spares making them
    /// where a product of ranges is wrong a million times over.
    pub(crate) fn keeps(&mut self, at: Span, kind: FaultKind) -> bool {
        match self.of_place.get_mut(&(at, kind)) {
            Some(count) if *count >= MOST_OF_PLACE => {
                *count += 1;
                false
            }
            _ if self.kept.len() < MOST_KEPT => true,
            _ => {
                self.count_beyond(at, 1);
                false
            }
        }
    }

    fn count_beyond(&mut self, at: Span, more: usize) {
        let (first, count) = self.beyond.unwrap_or((at, 0));
        self.beyond = Some((first, count + more));
    }

    /// Adds those of another part of the run, another file.
    pub(crate) fn absorb(&mut self, other: Self) {
        let keys: Vec<_> = other.kept.iter().map(|fault| (fault.at(), fault.kind)).collect();
        for fault in other.kept {
            self.keep(fault);
        }
        for key in keys {
            // No place is in two files, so the other part has counted all of it.
            if let Some(known) = self.of_place.get_mut(&key) {
                *known = other.of_place[&key];
            }
        }
        if let Some((at, count)) = other.beyond {
            self.count_beyond(at, count);
        }
    }

    /// The name that is most like the one found; none if so many faults were found already that looking for it
    /// each time would take long.
    pub(crate) fn nearest<'n>(
        &self,
        found: &str,
        names: impl IntoIterator<Item = &'n str>,
    ) -> Option<&'n str> {
        if self.kept.len() > MOST_EXPLAINED { None } else { nearest(found, names) }
    }

    /// The faults in file order, each once. What one place does wrong for many things, such as a
    /// port that none of ten switches has, is one fault.
    pub(crate) fn finish(mut self) -> Vec<Fault> {
        if let Some((at, count)) = self.beyond {
            let what = Diagnostic::new(
                format!("{count} more faults were found after the first {MOST_KEPT}"),
                at,
                "one of them, for example",
                "mend the first ones and check again",
            );
            self.kept.push(Fault { kind: FaultKind::TooMany, what });
        }
        self.kept.sort_by(|a, b| {
            (a.at().order(), a.kind, &a.what.message).cmp(&(
                b.at().order(),
                b.kind,
                &b.what.message,
            ))
        });
        self.kept.dedup_by(|a, b| {
            (a.at(), a.kind, &a.what.message) == (b.at(), b.kind, &b.what.message)
        });
        let mut merged: Vec<(Fault, usize)> = Vec::new();
        for fault in self.kept {
            match merged.last_mut() {
                Some((first, more)) if (first.at(), first.kind) == (fault.at(), fault.kind) => {
                    *more += 1;
                }
                _ => merged.push((fault, 0)),
            }
        }
        merged
            .into_iter()
            .map(|(mut fault, more)| {
                let all = self.of_place.get(&(fault.at(), fault.kind)).copied().unwrap_or(0);
                let more = more + all.saturating_sub(MOST_OF_PLACE);
                if more > 0 {
                    // Writing to a String cannot fail.
                    let _ = write!(fault.what.message, " (and {more} more of the kind from here)");
                }
                fault
            })
            .collect()
    }
}

/// A text without its end, where it is too long to be read.
fn cut(mut text: String) -> String {
    if text.len() > MOST_SHOWN {
        let end = (0..=MOST_SHOWN).rev().find(|&at| text.is_char_boundary(at)).unwrap_or(0);
        text.truncate(end);
        text.push('…');
    }
    text
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
