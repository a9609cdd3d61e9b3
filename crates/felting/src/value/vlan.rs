use std::fmt;
use std::str::FromStr;
use std::sync::Arc;

use super::{NotA, VlanId};

/// A set of VLAN ids, kept as sorted, disjoint, inclusive runs; cheap to clone.
///
/// Reads and prints the trade's form `310-319,400`.
///
/// ```
/// use felting::value::VlanSet;
/// let carried: VlanSet = "400, 310-312".parse()?;
/// assert_eq!(carried.to_string(), "310-312,400");
/// assert_eq!(carried.without(&"311".parse()?).to_string(), "310,312,400");
/// # Ok::<(), felting::value::NotA>(())
/// ```
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct VlanSet(Arc<[(u16, u16)]>);

impl Default for VlanSet {
    fn default() -> Self {
        static EMPTY: std::sync::LazyLock<Arc<[(u16, u16)]>> =
            std::sync::LazyLock::new(|| Arc::from([]));
        Self(Arc::clone(&EMPTY))
    }
}

impl VlanSet {
    /// Whether the set has no VLAN.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The runs of ids, each with its first and last.
    pub(crate) fn ranges(&self) -> &[(u16, u16)] {
        &self.0
    }

    /// Whether the set has this VLAN.
    pub fn contains(&self, vlan: VlanId) -> bool {
        let id = narrow(vlan);
        let after = self.0.partition_point(|run| run.0 <= id);
        after > 0 && self.0[after - 1].1 >= id
    }

    /// The VLANs, in order.
    pub fn iter(&self) -> impl Iterator<Item = VlanId> + '_ {
        self.0.iter().flat_map(|run| run.0..=run.1).map(widen)
    }

    /// The VLANs of this set that the other lacks.
    pub fn without(&self, other: &Self) -> Self {
        if self == other {
            return Self::default();
        }
        self.iter().filter(|vlan| !other.contains(*vlan)).collect()
    }

    /// The VLANs of either set.
    pub fn union(&self, other: &Self) -> Self {
        Self::from_runs(self.0.iter().chain(other.0.iter()).copied().collect())
    }

    fn from_runs(mut runs: Vec<(u16, u16)>) -> Self {
        runs.sort_unstable();
        let mut merged: Vec<(u16, u16)> = Vec::with_capacity(runs.len());
        for run in runs {
            match merged.last_mut() {
                Some(last) if run.0 <= last.1.saturating_add(1) => last.1 = last.1.max(run.1),
                _ => merged.push(run),
            }
        }
        Self(merged.into())
    }
}

fn narrow(vlan: VlanId) -> u16 {
    u16::try_from(vlan.get()).expect("a VLAN id has 12 bits")
}

fn widen(id: u16) -> VlanId {
    VlanId::new(u32::from(id)).expect("runs are made of VLAN ids only")
}

impl From<VlanId> for VlanSet {
    fn from(vlan: VlanId) -> Self {
        Self(Arc::from([(narrow(vlan), narrow(vlan))]))
    }
}

impl FromIterator<VlanId> for VlanSet {
    fn from_iter<I: IntoIterator<Item = VlanId>>(vlans: I) -> Self {
        Self::from_runs(vlans.into_iter().map(|vlan| (narrow(vlan), narrow(vlan))).collect())
    }
}

impl FromStr for VlanSet {
    type Err = NotA;

    fn from_str(text: &str) -> Result<Self, NotA> {
        let wrong = || NotA::from("VLAN ids from 1 to 4094, such as \"310-319,400\"");
        let one = |text: &str| -> Option<u16> {
            let digits = text.trim();
            let plain = digits.bytes().all(|byte| byte.is_ascii_digit());
            let id = plain.then(|| digits.parse().ok()).flatten()?;
            VlanId::new(id).ok().map(narrow)
        };
        if text.trim().is_empty() {
            return Ok(Self::default());
        }
        let runs = text.split(',').map(|part| {
            let (low, high) = part.split_once('-').unwrap_or((part, part));
            let run = (one(low)?, one(high)?);
            (run.0 <= run.1).then_some(run)
        });
        runs.collect::<Option<Vec<_>>>().map(Self::from_runs).ok_or_else(wrong)
    }
}

impl fmt::Display for VlanSet {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (index, &(low, high)) in self.0.iter().enumerate() {
            let comma = if index == 0 { "" } else { "," };
            match high - low {
                0 => write!(f, "{comma}{low}")?,
                _ => write!(f, "{comma}{low}-{high}")?,
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn refused_spellings() {
        for text in ["0", "4095", "310-", "-310", "319-310", "310;311", "+5", "99999999999", ","] {
            assert!(text.parse::<VlanSet>().is_err(), "{text}");
        }
    }

    proptest! {
        #[test]
        fn prints_what_it_reads_and_keeps_the_laws_of_sets(
            a in prop::collection::vec(1u32..=4094, 0..40),
            b in prop::collection::vec(1u32..=4094, 0..40),
        ) {
            let set = |ids: &[u32]| ids.iter().map(|&id| VlanId::new(id).unwrap()).collect::<VlanSet>();
            let (left, right) = (set(&a), set(&b));
            prop_assert_eq!(&left.to_string().parse::<VlanSet>().unwrap(), &left);
            prop_assert!(a.iter().all(|&id| left.contains(VlanId::new(id).unwrap())));
            let both = left.union(&right);
            prop_assert_eq!(both.without(&right), left.without(&right));
            prop_assert_eq!(both.without(&left).union(&left), both);
        }
    }
}
