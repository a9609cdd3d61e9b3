//! Real bytes: frames as links carry them, and captures of them.

mod capture;
mod frame;

pub use capture::capture;
pub use frame::{OuterChecksum, frame};
