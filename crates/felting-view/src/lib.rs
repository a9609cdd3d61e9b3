//! What Felting found, for people and for programs: findings, sheets, walks, topologies, explanations. Drawings are in
//! `felting-draw`.
//!
//! Every function returns a text and writes nothing. What networks do is decided in [`felting`].

#![warn(missing_docs)]

mod baseline;
mod explain;
mod findings;
mod json;
mod json_text;
mod junit;
mod named;
mod sarif;
pub mod sheet;
mod topology;
mod walk;

pub use baseline::{Baseline, Gone, Since};
pub use explain::{catalogue, catalogue_page, explain, explain_json};
pub use findings::{Checked, Drawer, Style, findings, findings_lines, sum};
pub use json::findings_json;
pub use junit::findings_junit;
pub use named::{named, named_json};
pub use sarif::findings_sarif;
pub use topology::{topology_dot, topology_rfc8345};
pub use walk::{Walked, walk, walk_json};
