//! VLANs that nothing tells apart.

use std::collections::BTreeSet;

use rustc_hash::FxHashSet;

use crate::value::{VlanId, VlanSet};

/// One VLAN of each run of VLANs that nothing here tells apart, with the run. Linear in the number
/// of different sets.
pub(super) fn classes<'a>(sets: impl Iterator<Item = &'a VlanSet>) -> Vec<(VlanId, VlanSet)> {
    let distinct: FxHashSet<&VlanSet> = sets.collect();
    let (mut starts, mut all) = (BTreeSet::new(), VlanSet::default());
    let distinct: Vec<_> = distinct.into_iter().collect();
    for set in distinct {
        for &(first, last) in set.ranges() {
            starts.insert(first);
            starts.insert(last + 1);
        }
        all = all.union(set);
    }
    let mut classes: Vec<(VlanId, Vec<VlanId>)> = Vec::new();
    for vlan in all.iter() {
        let number = u16::try_from(vlan.get()).unwrap_or(u16::MAX);
        match classes.last_mut() {
            Some((_, run)) if !starts.contains(&number) => run.push(vlan),
            _ => classes.push((vlan, vec![vlan])),
        }
    }
    classes.into_iter().map(|(vlan, run)| (vlan, run.into_iter().collect())).collect()
}
