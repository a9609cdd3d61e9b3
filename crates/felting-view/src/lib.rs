//! Draws what Felting found: findings for people and for programs, sheets, explanations.
//!
//! Every function returns a text and writes nothing. What networks do is decided in [`felting`].

#![warn(missing_docs)]

pub mod draw;
mod explain;
mod findings;
mod json;
pub mod sheet;
mod walk;
mod words;

pub use explain::{catalogue, catalogue_page, explain};
pub use findings::{Style, findings};
pub use json::findings_json;
pub use walk::{Walked, walk, walk_json};
