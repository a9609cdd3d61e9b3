//! Felting models leaf-spine fabrics and finds the contradictions in them before anyone touches a
//! device.
//!
//! Data flows one way:
//!
//! ```text
//! fabric file(s) -> source -> Fabric -> behaviour (State) -> rules -> Report
//!                                                         -> walk  -> Walk
//! ```
//!
//! # Load
//!
//! A [`Fabric`] is made from a path, from text, from any [`source::Files`], or by [`build::Builder`] with the same
//! words. Loading never fails: faults in the input are data, with their places. [`Fabric::complete`] makes an error of
//! them, so that nobody takes half a fabric for a clean one. [`Loader`] lays variants on top, keeps to [`Limits`], and
//! is watched and cancelled by a [`Progress`].
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
//! "#).complete()?;
//! # Ok::<(), felting::Incomplete>(())
//! ```
//!
//! # Check
//!
//! [`Fabric::check`] runs the [`rules`]; a [`Finding`] says what is wrong and where, what happens on the wire, and what
//! to do. [`Report::verdict`] is what a program decides by.
//!
//! ```
//! # let fabric = felting::Fabric::from_text("f.toml", felting::rules::find("lag-protocol-clash").unwrap().broken);
//! use felting::diagnostic::{Severity, Verdict};
//! let report = fabric.check();
//! assert_eq!(report.findings[0].rule.id, "lag-protocol-clash");
//! assert_eq!(report.verdict(Some(Severity::Warning)), Verdict::Found);
//! ```
//!
//! # What if
//!
//! [`State::of`] tells what the protocols make of a fabric under a [`Condition`]; [`State::given`] the same with
//! something else down, sharing what that does not change. [`State::check`] judges as things are then.
//!
//! ```
//! # let fabric = felting::Fabric::from_text("f.toml", &felting::rules::find("lag-protocol-clash").unwrap().mended());
//! use felting::{Condition, Progress, State};
//! let whole = State::of(&fabric, &Condition::default(), &Progress::default());
//! let cut = whole.given(&Condition::default().cut(&fabric, "cable kelp-a p1")?);
//! let (lag, _) = fabric.lags().next().unwrap();
//! assert_eq!((whole.lag(lag).in_use, cut.lag(lag).in_use), (2, 1));
//! # Ok::<(), felting::fabric::NotThere>(())
//! ```
//!
//! # Walk
//!
//! ```
//! # let fabric = felting::Fabric::from_text("f.toml", felting::rules::find("expect-failed").unwrap().broken);
//! # use felting::{Condition, Progress, State};
//! # let state = State::of(&fabric, &Condition::default(), &Progress::default());
//! use felting::walk::{Options, Walker, why};
//! let (from, to) = (fabric.terminal("lathe")?, fabric.terminal("saw")?);
//! let walk = Walker::new(&state).walk(from, to, Options::ALL).unwrap();
//! let (hop, stop) = walk.root().expect("the two are in different segments");
//! assert_eq!(fabric.device_name(hop.device), "kelp-a");
//! println!("{}", why(&fabric, hop, stop));
//! # Ok::<(), felting::fabric::NoTerminal>(())
//! ```
//!
//! # Which crate for what
//!
//! | crate | has |
//! |---|---|
//! | `felting` | the language, the fabric, protocols, rules, walks |
//! | `felting-view` | findings, sheets and walks as texts, JSON, CSV, SARIF, `JUnit`; topologies; explanations |
//! | `felting-draw` | drawings as SVG and PNG, the report as a page |
//! | `felting-cli` | the command |
//!
//! Of this crate the features `capture`, `csv`, `generator` and `schema` are on by default and can be left out.

#![warn(missing_docs)]

pub mod behaviour;
pub mod build;
pub mod diagnostic;
pub mod fabric;
#[cfg(feature = "generator")]
pub mod generator;
pub mod id;
mod open;
pub mod progress;
pub mod rules;
#[cfg(feature = "generator")]
pub mod scaffold;
pub mod source;
pub mod value;
pub mod walk;
#[cfg(feature = "capture")]
pub mod wire;

/// The crates whose types are in the interface of this one, as it uses them.
pub mod external {
    #[cfg(feature = "schema")]
    pub use serde_json;
    pub use {jiff, smallvec, smol_str, toml};
}

pub use behaviour::State;
pub use diagnostic::{Finding, Report, Rule, Severity};
pub use fabric::{Condition, Fabric};
#[cfg(feature = "schema")]
pub use open::json_schema;
pub use open::{Incomplete, Limits, Loader, Statements};
pub use progress::{Cancelled, Progress};
