//! Felting models leaf-spine fabrics and finds the contradictions in them before anyone touches a
//! device.
//!
//! Data flows one way:
//!
//! ```text
//! fabric file(s) -> source -> Fabric -> behaviour (State) -> rules -> Report
//! ```
//!
//! - [`Fabric`] is made from a path, from text, from any [`source::Files`], or by
//!   [`build::Builder`] with the same words. It never fails: faults in the input are data.
//! - [`Fabric::check`] runs the [`rules`] and returns findings as data.
//! - [`State::of`] tells what the protocols make of a fabric under a [`Condition`], for example
//!   which members of a LAG are selected.
//!
//! ```
//! use felting::Fabric;
//!
//! let fabric = Fabric::from_text("shore.toml", r#"
//!     [[switch]]
//!     name = "kelp-[a-b]"
//!     ports = "p[1-2] 25G"
//!
//!     [[lag]]
//!     on = "kelp-*"
//!     name = "across"
//!     ports = "p[1-2]"
//!     protocol = "lacp"
//!     differs = [{ on = "kelp-b", protocol = "static" }]
//!
//!     [cabling]
//!     runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
//! "#);
//! let report = fabric.check();
//! assert_eq!(report.findings[0].rule.id, "lag-protocol-clash");
//! ```

#![warn(missing_docs)]

pub mod behaviour;
pub mod build;
pub mod diagnostic;
pub mod fabric;
pub mod generator;
pub mod id;
mod open;
pub mod progress;
pub mod rules;
pub mod scaffold;
pub mod source;
pub mod value;
pub mod walk;
pub mod wire;

/// The crates whose types are in the interface of this one, as it uses them.
pub mod external {
    pub use {jiff, serde_json, smallvec, smol_str, toml};
}

pub use behaviour::State;
pub use diagnostic::{Finding, Report, Rule, Severity};
pub use fabric::{Condition, Fabric};
pub use open::{Incomplete, Limits, Loader, Statements, json_schema};
pub use progress::{Cancelled, Progress};
