//! The faults of one run, as they are gathered.

use std::fmt::Write as _;

use rustc_hash::{FxHashMap, FxHashSet};
use smol_str::SmolStr;

use super::Fault;
use super::kind::FaultKind;
use crate::diagnostic::{At, Diagnostic, Span, nearest};

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
    /// What was missed once, by its name: whatever else names it follows from that.
    missed: FxHashSet<String>,
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

    /// Whether something is missed for the first time.
    pub(crate) fn misses(&mut self, what: String) -> bool {
        self.missed.insert(what)
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

    /// A name that nothing has: with the one that may have been meant, else with what to do.
    pub(crate) fn unknown<'n>(
        &mut self,
        what: &str,
        name: &At<SmolStr>,
        known: impl IntoIterator<Item = &'n str>,
        otherwise: &str,
    ) {
        let remedy = match self.nearest(&name.value, known) {
            Some(nearest) => format!("did you mean {nearest}?"),
            None => otherwise.to_owned(),
        };
        let message = format!("there is no {what} {}", name.value);
        self.add(FaultKind::UnknownName, name.span, message, "no such name", remedy);
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
