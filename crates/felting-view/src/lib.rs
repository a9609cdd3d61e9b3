//! Draws what Felting found: findings for people and for programs, sheets, explanations.
//!
//! Every function returns a text and writes nothing. What networks do is decided in [`felting`].

#![warn(missing_docs)]

pub mod draw;
mod explain;
mod findings;
mod json;
mod junit;
mod report;
mod sarif;
pub mod sheet;
mod topology;
mod walk;

pub use explain::{catalogue, catalogue_page, explain};
pub use findings::{Style, findings};
pub use json::findings_json;
pub use junit::findings_junit;
pub use report::{Reported, report};
pub use sarif::findings_sarif;
pub use topology::{topology_dot, topology_rfc8345};
pub use walk::{Walked, walk, walk_json};
