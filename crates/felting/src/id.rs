//! Typed ids and the arenas that they index.

mod later;
mod pages;

use std::fmt;
use std::marker::PhantomData;
use std::ops::{Index, IndexMut, Range};

pub(crate) use later::Later;
pub use pages::Pages;

/// An index into one arena: a `u32` that only its own [`IdVec`] takes.
///
/// Ids come from a fabric alone: nobody outside can make one.
///
/// ```compile_fail
/// fn forged<I: felting::id::Id>() -> I {
///     I::from_index(3)
/// }
/// ```
pub trait Id: Copy + Eq + Ord + fmt::Debug {
    /// The id of the element at a place; nobody outside has a key.
    #[doc(hidden)]
    fn made(index: usize, key: Key) -> Self;
    /// The place of the element in its arena.
    fn index(self) -> usize;
}

/// What it takes to make an id.
#[derive(Clone, Copy, Debug)]
pub struct Key(());

/// Ids from places, in here.
pub(crate) trait FromIndex: Id {
    /// The id of the element at `index`.
    ///
    /// # Panics
    ///
    /// If `index` is beyond `u32::MAX`; the reader refuses fabrics far below that.
    fn from_index(index: usize) -> Self {
        Self::made(index, Key(()))
    }
}

impl<I: Id> FromIndex for I {}

/// Makes a newtype over `u32` that prints as its noun and number (`switch3`).
macro_rules! typed_id {
    ($(#[$doc:meta])* $vis:vis $name:ident, $noun:literal) => {
        $(#[$doc])*
        #[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        $vis struct $name(u32);

        impl $crate::id::Id for $name {
            fn made(index: usize, _: $crate::id::Key) -> Self {
                Self(u32::try_from(index).expect("arenas stay below the reader's limit on things"))
            }
            fn index(self) -> usize {
                self.0 as usize
            }
        }

        impl std::fmt::Debug for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                write!(f, concat!($noun, "{}"), self.0)
            }
        }
    };
}
pub(crate) use typed_id;

/// A vector that is indexed by one kind of id.
#[derive(Clone, PartialEq, Eq)]
pub struct IdVec<I, T> {
    raw: Vec<T>,
    ids: PhantomData<fn() -> I>,
}

impl<I, T> Default for IdVec<I, T> {
    fn default() -> Self {
        Self::of(Vec::new())
    }
}

impl<I, T> IdVec<I, T> {
    /// The elements in the order of their ids.
    pub(crate) fn of(raw: Vec<T>) -> Self {
        Self { raw, ids: PhantomData }
    }
}

impl<I, T: fmt::Debug> fmt::Debug for IdVec<I, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.raw.fmt(f)
    }
}

impl<I: Id, T> IdVec<I, T> {
    /// Adds an element and tells its id.
    pub(crate) fn push(&mut self, value: T) -> I {
        let id = I::from_index(self.raw.len());
        self.raw.push(value);
        id
    }

    /// How many elements there are.
    pub fn len(&self) -> usize {
        self.raw.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.raw.is_empty()
    }

    /// The ids, in order.
    pub fn ids(&self) -> impl ExactSizeIterator<Item = I> + DoubleEndedIterator + use<I, T> {
        (0..self.raw.len()).map(I::from_index)
    }

    /// The elements with their ids, in order.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = (I, &T)> + DoubleEndedIterator {
        self.raw.iter().enumerate().map(|(index, value)| (I::from_index(index), value))
    }

    /// The elements alone, in order.
    pub fn values(&self) -> std::slice::Iter<'_, T> {
        self.raw.iter()
    }

    /// The elements themselves, in order.
    pub(crate) fn into_values(self) -> std::vec::IntoIter<T> {
        self.raw.into_iter()
    }

    /// The elements of a run of ids.
    pub fn slice(&self, run: &IdRange<I>) -> &[T] {
        &self.raw[run.start.index()..run.end.index()]
    }

    /// Makes room for so many more elements.
    pub(crate) fn reserve(&mut self, more: usize) {
        self.raw.reserve(more);
    }

    /// The id that the next element will have.
    pub(crate) fn next_id(&self) -> I {
        I::from_index(self.raw.len())
    }
}

impl<I: Id, T: Clone> IdVec<I, T> {
    /// As many copies of `value` as `like` has elements: a place for facts about each of them.
    pub(crate) fn filled<U>(like: &IdVec<I, U>, value: T) -> Self {
        Self::of(vec![value; like.len()])
    }
}

impl<I: Id, T> Index<I> for IdVec<I, T> {
    type Output = T;
    fn index(&self, id: I) -> &T {
        &self.raw[id.index()]
    }
}

impl<I: Id, T> IndexMut<I> for IdVec<I, T> {
    fn index_mut(&mut self, id: I) -> &mut T {
        &mut self.raw[id.index()]
    }
}

/// A run of consecutive ids.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct IdRange<I> {
    start: I,
    end: I,
}

impl<I: Id> IdRange<I> {
    pub(crate) fn new(start: I, end: I) -> Self {
        Self { start, end }
    }

    /// How many ids there are.
    pub fn len(&self) -> usize {
        self.end.index() - self.start.index()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.start == self.end
    }

    /// The id at a place in the run.
    pub fn get(&self, index: usize) -> Option<I> {
        (index < self.len()).then(|| I::from_index(self.start.index() + index))
    }

    /// Whether the id is one of them.
    pub fn contains(&self, id: I) -> bool {
        self.start <= id && id < self.end
    }

    /// The ids, in order.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = I> + DoubleEndedIterator + use<I> {
        Range { start: self.start.index(), end: self.end.index() }.map(I::from_index)
    }
}
