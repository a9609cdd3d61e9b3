//! What is worked out when it is first asked.

use std::fmt;
use std::sync::OnceLock;

/// A value that is worked out when it is first asked: whether that has been is no part of what it means.
#[derive(Clone)]
pub(crate) struct Later<T>(OnceLock<T>);

impl<T> Default for Later<T> {
    fn default() -> Self {
        Self(OnceLock::new())
    }
}

impl<T> Later<T> {
    /// The value, if it has been asked.
    pub(crate) fn known(&self) -> Option<&T> {
        self.0.get()
    }

    /// The value, worked out now if it hasn't been.
    pub(crate) fn or(&self, work_out: impl FnOnce() -> T) -> &T {
        self.0.get_or_init(work_out)
    }
}

impl<T> fmt::Debug for Later<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("..")
    }
}
