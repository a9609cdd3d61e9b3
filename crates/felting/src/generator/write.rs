//! A large fabric, written.

use super::numbers::{LargeFabric, LargeFiles};
use super::plan::Plan;
use super::{faults, pages};
use crate::progress::Progress;
use crate::scaffold::Unfit;

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
