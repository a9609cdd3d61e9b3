//! Large fabrics from a few numbers, to measure by: three tiers, a file a pod, hosts and their LAGs written
//! one by one; and single faults in them whose findings are known.
//!
//! ```
//! use felting::large::LargeFabric;
//! use felting::{Fabric, source::Memory};
//! let made = LargeFabric { faults: 3, seed: 7, ..LargeFabric::default() }.write().unwrap();
//! let mut files = Memory::default();
//! for (path, text) in made.files {
//!     files.insert(path, text);
//! }
//! let report = Fabric::from_files(&files, "fabric.toml").check();
//! assert_eq!(report.findings.len(), made.key.len());
//! ```

mod faults;
mod pages;
mod plan;

use std::fmt;

pub use crate::first::Unfit;
use crate::progress::Progress;
use crate::{Fabric, Finding};
use plan::Plan;

/// How many of everything a large fabric has, and how many faults.
///
/// Segments are spread over pods; a VLAN id is used again in other pods for other segments, a VNI is not.
/// All hosts hang on both leaves of a pair.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LargeFabric {
    /// Its name.
    pub name: String,
    /// Pods, each in a file of its own.
    pub pods: u32,
    /// Pairs of leaves, in each pod.
    pub pairs: u32,
    /// Spines, in each pod.
    pub spines: u32,
    /// Super-spines, which join the pods; none in a fabric of one pod.
    pub super_spines: u32,
    /// Hosts in all, spread over the pairs.
    pub hosts: u32,
    /// Tenants, each with a VRF.
    pub tenants: u32,
    /// Segments in all, spread over the tenants.
    pub segments: u32,
    /// On how many pairs each segment is.
    pub spread: u32,
    /// Guests on the hosts, in all.
    pub guests: u32,
    /// How many single faults are put in.
    pub faults: u32,
    /// What the places of the faults follow from; of no matter without faults.
    pub seed: u64,
}

impl Default for LargeFabric {
    fn default() -> Self {
        Self {
            name: "large".to_owned(),
            pods: 4,
            pairs: 8,
            spines: 2,
            super_spines: 2,
            hosts: 64,
            tenants: 32,
            segments: 64,
            spread: 4,
            guests: 256,
            faults: 0,
            seed: 0,
        }
    }
}

/// The files of a large fabric.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct LargeFiles {
    /// Paths below the fabric's folder and the texts; `fabric.toml` is the root file.
    pub files: Vec<(String, String)>,
    /// Every fault that was put in.
    pub key: Vec<KnownFault>,
}

/// A fault that was put into a large fabric: the finding that must be made of it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct KnownFault {
    /// The rule that tells it.
    pub rule: &'static str,
    /// The file that was changed for it.
    pub file: String,
    /// The first changed line, counted from 1; the finding or one of its other sides stands on one of them.
    pub first: usize,
    /// The last changed line.
    pub last: usize,
}

impl KnownFault {
    /// Whether a finding is the one: of its rule, with the fault's place as one of its places.
    pub fn is_told_by(&self, fabric: &Fabric, finding: &Finding) -> bool {
        let labels = std::iter::once(&finding.what.primary).chain(&finding.what.related);
        finding.rule.id == self.rule
            && labels.map(|label| fabric.sources().location(label.span)).any(|at| {
                (self.first..=self.last).contains(&at.line) && at.file.ends_with(&self.file)
            })
    }
}

impl fmt::Display for KnownFault {
    /// A row of a key file: the rule, the file, the first and the last line.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{},{},{},{}", self.rule, self.file, self.first, self.last)
    }
}

impl LargeFabric {
    /// The fabric of the scale series with that many leaves: pods of 32 pairs with four spines, four
    /// super-spines, 32 hosts a pair; a segment for every four hosts, on four pairs each; a VRF for every 32
    /// segments.
    ///
    /// # Panics
    ///
    /// If the leaves are not a multiple of 64, a pod.
    pub fn of_series(leaves: u32) -> Self {
        assert!(leaves.is_multiple_of(64) && leaves > 0, "a pod has 64 leaves");
        let hosts = leaves / 2 * 32;
        Self {
            name: format!("series-{leaves}"),
            pods: leaves / 64,
            pairs: 32,
            spines: 4,
            super_spines: 4,
            hosts,
            tenants: hosts / 4 / 32,
            segments: hosts / 4,
            spread: 4,
            guests: 0,
            faults: 0,
            seed: 0,
        }
    }

    /// The fabric as files.
    ///
    /// # Errors
    ///
    /// [`Unfit`], where the numbers don't go together: what is too many or too few, and what would do.
    pub fn write(&self, progress: &Progress) -> Result<LargeFiles, Unfit> {
        let plan = Plan::of(self)?;
        let edits = faults::choose(&plan, self.faults, self.seed, progress)?;
        Ok(pages::write(&plan, &edits, progress))
    }
}

impl LargeFiles {
    /// The key file: a row for each fault.
    pub fn key_file(&self) -> String {
        let rows = self.key.iter().map(|known| format!("{known}\n"));
        "rule,file,first_line,last_line\n".to_owned() + &rows.collect::<String>()
    }
}
