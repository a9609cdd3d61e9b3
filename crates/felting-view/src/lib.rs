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
mod words;

pub use explain::{catalogue, catalogue_page, explain};
pub use findings::{Style, findings, findings_watched};
pub use json::{findings_json, findings_json_watched};
pub use junit::{findings_junit, findings_junit_watched};
pub use report::{Reported, report, report_watched};
pub use sarif::{findings_sarif, findings_sarif_watched};
pub use topology::{
    topology_dot, topology_dot_watched, topology_rfc8345, topology_rfc8345_watched,
};
pub use walk::{Walked, walk, walk_json};
