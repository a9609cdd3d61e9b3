//! What can be asked of a walk.

use std::fmt;

/// Which of several equal ways is followed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Choice {
    /// The one that a hash of the flow picks, as a device does.
    ByHash,
    /// All of them.
    All,
}

/// What is asked.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Options {
    /// Which of several equal ways is followed.
    pub choice: Choice,
    /// How large the packet is, in bytes from its IP header on; an echo of 56 bytes of data by default.
    pub size: Option<u32>,
}

impl Options {
    /// One flow, as devices spread it.
    pub const BY_HASH: Self = Self { choice: Choice::ByHash, size: None };
    /// All ways that a flow could take.
    pub const ALL: Self = Self { choice: Choice::All, size: None };
}

impl Default for Options {
    fn default() -> Self {
        Self::BY_HASH
    }
}

/// Why there is nothing to walk.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum NoWalk {
    /// Both ends are the same.
    Itself(String),
    /// An end has no address.
    NoAddress(String),
    /// The ends have no IP version in common.
    NoFamily(String, String),
}

impl fmt::Display for NoWalk {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Itself(name) => {
                write!(f, "a walk from {name} to itself leaves no host; name two ends")
            }
            Self::NoAddress(name) => {
                write!(f, "{name} has no address to send from or to; add `address` to it")
            }
            Self::NoFamily(a, b) => write!(
                f,
                "{a} and {b} have no IP version in common; give one of them an address of the \
                 other\u{2019}s"
            ),
        }
    }
}

impl std::error::Error for NoWalk {}
