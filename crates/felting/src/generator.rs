//! Large fabrics from a few numbers, to measure by: three tiers, a file a pod, hosts and their LAGs written
//! one by one; and single faults in them whose findings are known.
//!
//! ```
//! use felting::generator::LargeFabric;
//! use felting::{Fabric, Progress, source::Memory};
//! let made = LargeFabric { faults: 3, seed: 7, ..LargeFabric::default() }.write(&Progress::default()).unwrap();
//! let mut files = Memory::default();
//! for (path, text) in made.files {
//!     files.insert(path, text);
//! }
//! let report = Fabric::from_files(&files, "fabric.toml").check();
//! assert_eq!(report.findings.len(), made.key.len());
//! ```

mod faults;
mod numbers;
mod pages;
mod plan;
mod write;

pub use crate::scaffold::Unfit;
pub use numbers::{KnownFault, LargeFabric, LargeFiles};
