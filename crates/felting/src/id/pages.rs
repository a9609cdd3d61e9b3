//! Facts about each thing of a fabric, which states have in common but where they differ.

use std::fmt;
use std::ops::{Index, IndexMut};
use std::sync::Arc;

use super::{FromIndex, Id, IdVec};

/// As many elements a page has: what is copied for the first change in it.
const PAGE: usize = 256;

/// A vector that is indexed by one kind of id, in pages that its clones share until one of them is written to.
#[derive(Clone)]
pub struct Pages<I, T> {
    all: Vec<Arc<Vec<T>>>,
    len: usize,
    ids: std::marker::PhantomData<fn() -> I>,
}

impl<I, T> Default for Pages<I, T> {
    fn default() -> Self {
        Self { all: Vec::new(), len: 0, ids: std::marker::PhantomData }
    }
}

impl<I: Id, T> Pages<I, T> {
    /// The elements in the order of their ids.
    pub(crate) fn of(elements: impl IntoIterator<Item = T>) -> Self {
        let (mut pages, mut len) = (Vec::new(), 0);
        let mut elements = elements.into_iter();
        loop {
            let page: Vec<T> = elements.by_ref().take(PAGE).collect();
            if page.is_empty() {
                return Self { all: pages, len, ids: std::marker::PhantomData };
            }
            len += page.len();
            pages.push(Arc::new(page));
        }
    }

    /// How many elements there are.
    pub fn len(&self) -> usize {
        self.len
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len == 0
    }

    /// The ids, in order.
    pub fn ids(&self) -> impl ExactSizeIterator<Item = I> + DoubleEndedIterator + use<I, T> {
        (0..self.len).map(I::from_index)
    }

    /// The elements with their ids, in order.
    pub fn iter(&self) -> impl Iterator<Item = (I, &T)> {
        self.values().enumerate().map(|(index, value)| (I::from_index(index), value))
    }

    /// The elements alone, in order.
    pub fn values(&self) -> impl Iterator<Item = &T> {
        self.all.iter().flat_map(|page| page.iter())
    }
}

impl<I: Id, T: Clone> Pages<I, T> {
    /// As many copies of `value` as `like` has elements.
    pub(crate) fn filled<U>(like: &IdVec<I, U>, value: T) -> Self {
        // All are one page, until they are written to.
        let full = Arc::new(vec![value.clone(); PAGE]);
        let mut pages: Vec<_> = std::iter::repeat_n(full, like.len() / PAGE).collect();
        let rest = like.len() % PAGE;
        if rest > 0 {
            pages.push(Arc::new(vec![value; rest]));
        }
        Self { all: pages, len: like.len(), ids: std::marker::PhantomData }
    }
}

impl<I: Id, T> Index<I> for Pages<I, T> {
    type Output = T;
    fn index(&self, id: I) -> &T {
        &self.all[id.index() / PAGE][id.index() % PAGE]
    }
}

impl<I: Id, T: Clone> IndexMut<I> for Pages<I, T> {
    fn index_mut(&mut self, id: I) -> &mut T {
        &mut Arc::make_mut(&mut self.all[id.index() / PAGE])[id.index() % PAGE]
    }
}

/// Pages that two have in common are equal without a look at what is in them.
impl<I: Id, T: PartialEq> PartialEq for Pages<I, T> {
    fn eq(&self, other: &Self) -> bool {
        let mut both = self.all.iter().zip(&other.all);
        self.len == other.len && both.all(|(one, other)| Arc::ptr_eq(one, other) || one == other)
    }
}

impl<I: Id, T: fmt::Debug> fmt::Debug for Pages<I, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_list().entries(self.values()).finish()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::id::typed_id;

    typed_id! { /** A stone. */ StoneId, "stone" }

    #[test]
    fn clones_share_all_but_what_is_written() {
        for len in [0, 1, PAGE - 1, PAGE, PAGE + 1, 3 * PAGE] {
            let like: IdVec<StoneId, ()> = IdVec::of(vec![(); len]);
            let whole = Pages::filled(&like, 7);
            assert_eq!((whole.len(), whole.values().count()), (len, len));
            assert_eq!(whole, Pages::of(vec![7; len]));
            let Some(last) = whole.ids().next_back() else { continue };
            let mut other = whole.clone();
            other[last] = 8;
            assert_eq!((whole[last], other[last]), (7, 8));
            assert_ne!(whole, other);
            let shared = whole.all.iter().zip(&other.all).filter(|(a, b)| Arc::ptr_eq(a, b));
            assert_eq!(shared.count(), whole.all.len() - 1);
            other[last] = 7;
            assert_eq!(whole, other);
        }
    }
}
