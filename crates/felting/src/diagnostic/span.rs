use std::hash::{Hash as _, Hasher as _};
use std::ops::Deref;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

use super::plain::plain;
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

/// Where a thing is written, which is none of what it is: any two are equal.
#[derive(Clone, Copy, Debug, Eq)]
pub struct Place(pub Span);

impl PartialEq for Place {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

impl From<Span> for Place {
    fn from(span: Span) -> Self {
        Self(span)
    }
}

impl Deref for Place {
    type Target = Span;
    fn deref(&self) -> &Span {
        &self.0
    }
}

/// A value and where it is written. A default stands where the statement that took it does.
///
/// Two are equal if their values are, wherever they are written.
#[derive(Clone, Copy, Debug)]
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

impl<T: PartialEq> PartialEq for At<T> {
    fn eq(&self, other: &Self) -> bool {
        self.value == other.value
    }
}

impl<T: Eq> Eq for At<T> {}

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
    text: Text,
    lines: Vec<u32>,
    /// How many characters stand before each stride of the text: for lines of megabytes, of which the column
    /// of each of many places is asked.
    strides: OnceLock<Vec<u32>>,
}

/// Bytes of a stride.
const STRIDE: usize = 64 << 10;

/// The text of a file, or where it can be had again.
#[derive(Clone, Debug)]
enum Text {
    Kept(Arc<str>),
    /// On disk, until somebody asks. The length and the hash tell whether it is still what was read.
    OnDisk {
        path: PathBuf,
        length: usize,
        hash: u64,
        again: OnceLock<Arc<str>>,
    },
}

impl Source {
    /// A file as it was read. Its text is kept unless it can be had again from disk.
    pub(crate) fn new(name: &str, text: &str, on_disk: Option<PathBuf>) -> Self {
        let breaks = text.match_indices('\n').map(|(at, _)| at + 1);
        let lines =
            std::iter::once(0).chain(breaks).map(|at| u32::try_from(at).unwrap_or(u32::MAX));
        let lines = lines.collect();
        let text = match on_disk {
            Some(path) => Text::OnDisk {
                path,
                length: text.len(),
                hash: hash_of(text),
                again: OnceLock::new(),
            },
            None => Text::Kept(text.into()),
        };
        let name = plain(name).into_owned();
        Self { name, text, lines, strides: OnceLock::new() }
    }

    /// Where it was read, if it is a file on disk.
    pub fn path(&self) -> Option<&Path> {
        match &self.text {
            Text::Kept(_) => None,
            Text::OnDisk { path, .. } => Some(path),
        }
    }

    /// How many characters stand between two bytes; none if the file has changed since.
    fn characters(&self, from: usize, to: usize) -> Option<usize> {
        let text = self.text().as_bytes();
        let between = text.get(from..to)?;
        if between.len() < 2 * STRIDE {
            return Some(count(between));
        }
        let strides = self.strides.get_or_init(|| {
            let mut before = 0;
            let counts = text.chunks(STRIDE).map(|stride| {
                before += u32::try_from(count(stride)).unwrap_or(u32::MAX);
                before
            });
            std::iter::once(0).chain(counts).collect()
        });
        let before = |byte: usize| {
            let stride = byte / STRIDE;
            strides[stride] as usize + count(&text[stride * STRIDE..byte])
        };
        Some(before(to) - before(from))
    }

    /// The text; empty if it could not be read, or if the file has changed since.
    pub fn text(&self) -> &str {
        match &self.text {
            Text::Kept(text) => text,
            Text::OnDisk { path, length, hash, again } => again.get_or_init(|| {
                let bytes = std::fs::read(path).ok().filter(|bytes| bytes.len() == *length);
                let text = bytes.and_then(|bytes| String::from_utf8(bytes).ok());
                text.filter(|text| hash_of(text) == *hash).unwrap_or_default().into()
            }),
        }
    }

    /// The byte at which each line begins.
    pub fn lines(&self) -> &[u32] {
        &self.lines
    }

    /// The line that a byte is in, counted from 0.
    pub fn line_of(&self, byte: u32) -> usize {
        self.lines().partition_point(|&start| start <= byte).saturating_sub(1)
    }
}

/// The characters that begin among some bytes of UTF-8.
fn count(bytes: &[u8]) -> usize {
    // All bytes of a character but its first are 10xxxxxx.
    bytes.iter().filter(|&&byte| byte & 0xC0 != 0x80).count()
}

fn hash_of(text: &str) -> u64 {
    let mut hasher = rustc_hash::FxHasher::default();
    text.hash(&mut hasher);
    hasher.finish()
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
    /// How many files there are.
    pub(crate) fn count(&self) -> usize {
        self.0.len()
    }

    pub(crate) fn push(&mut self, source: Source) -> FileId {
        self.0.push(source)
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
        self.0[span.file].text().get(span.start as usize..span.end as usize).unwrap_or_default()
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
        let (start, byte) = (source.lines()[line] as usize, byte as usize);
        // Of a file that has changed since, bytes are all that is known.
        let column = source.characters(start, byte).unwrap_or(byte.saturating_sub(start));
        Location { file: &source.name, line: line + 1, column: column + 1 }
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
