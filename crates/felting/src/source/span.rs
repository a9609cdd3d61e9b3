use std::ops::Deref;
use std::sync::{Arc, OnceLock};

use crate::id::{Id, IdVec, typed_id};

typed_id! {
    /// A file that was read.
    pub FileId, "file"
}

/// Where a value is written: a file and a range of its bytes, without quotes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Span {
    /// The file.
    pub file: FileId,
    /// The first byte.
    pub start: u32,
    /// The byte after the last.
    pub end: u32,
}

/// A value and where it is written. A default stands where the statement that took it does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct At<T> {
    /// The value.
    pub value: T,
    /// Its place.
    pub span: Span,
}

impl<T> At<T> {
    /// Puts a value to its place.
    pub const fn new(value: T, span: Span) -> Self {
        Self { value, span }
    }
}

impl<T> Deref for At<T> {
    type Target = T;
    fn deref(&self) -> &T {
        &self.value
    }
}

/// A file: its name as a person would write it, and its text.
#[derive(Clone, Debug)]
pub struct Source {
    /// The path, as shown in findings.
    pub name: String,
    /// The text; empty if it could not be read.
    pub text: Arc<str>,
    lines: OnceLock<Vec<u32>>,
}

impl Source {
    /// The byte at which each line begins.
    pub fn lines(&self) -> &[u32] {
        self.lines.get_or_init(|| {
            let breaks = self.text.match_indices('\n').map(|(at, _)| at + 1);
            std::iter::once(0)
                .chain(breaks)
                .map(|at| u32::try_from(at).unwrap_or(u32::MAX))
                .collect()
        })
    }

    /// The line that a byte is in, counted from 0.
    pub fn line_of(&self, byte: u32) -> usize {
        self.lines().partition_point(|&start| start <= byte).saturating_sub(1)
    }
}

/// All files of a fabric.
#[derive(Clone, Debug, Default)]
pub struct Sources(IdVec<FileId, Source>);

/// A place as a person counts: lines and columns from 1, columns in characters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Location<'a> {
    /// The file's name.
    pub file: &'a str,
    /// The line.
    pub line: usize,
    /// The column in characters.
    pub column: usize,
}

impl std::fmt::Display for Location<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}:{}:{}", self.file, self.line, self.column)
    }
}

impl Sources {
    pub(crate) fn add(&mut self, name: String, text: Arc<str>) -> FileId {
        self.0.push(Source { name, text, lines: OnceLock::new() })
    }

    /// One file.
    pub fn file(&self, file: FileId) -> &Source {
        &self.0[file]
    }

    /// The files, in the order in which they were read.
    pub fn iter(&self) -> impl Iterator<Item = (FileId, &Source)> {
        self.0.iter()
    }

    /// The text of a place.
    pub fn text(&self, span: Span) -> &str {
        self.0[span.file].text.get(span.start as usize..span.end as usize).unwrap_or_default()
    }

    /// Where a place begins, as a person counts.
    pub fn location(&self, span: Span) -> Location<'_> {
        self.position(span.file, span.start)
    }

    /// Where a place ends, as a person counts: one character past the last.
    pub fn location_end(&self, span: Span) -> Location<'_> {
        self.position(span.file, span.end)
    }

    fn position(&self, file: FileId, byte: u32) -> Location<'_> {
        let source = &self.0[file];
        let line = source.line_of(byte);
        let before = source.text.get(source.lines()[line] as usize..byte as usize);
        Location {
            file: &source.name,
            line: line + 1,
            column: before.map_or(0, |before| before.chars().count()) + 1,
        }
    }
}

impl Span {
    /// An empty place at the start of a file: the file as a whole.
    pub(crate) fn whole(file: FileId) -> Self {
        Self { file, start: 0, end: 0 }
    }

    pub(crate) fn of(file: FileId, range: std::ops::Range<usize>) -> Self {
        let narrow = |byte| u32::try_from(byte).unwrap_or(u32::MAX);
        Self { file, start: narrow(range.start), end: narrow(range.end) }
    }

    /// The key by which findings are sorted: files in the order of reading, then by place.
    pub(crate) fn order(self) -> (usize, u32, u32) {
        (self.file.index(), self.start, self.end)
    }
}
