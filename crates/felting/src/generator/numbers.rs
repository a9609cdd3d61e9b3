//! How much of everything a large fabric has, and what is made of it.

use std::fmt;

use crate::{Fabric, Finding};

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

impl LargeFiles {
    /// The key file: a row for each fault.
    pub fn key_file(&self) -> String {
        let rows = self.key.iter().map(|known| format!("{known}\n"));
        "rule,file,first_line,last_line\n".to_owned() + &rows.collect::<String>()
    }
}
