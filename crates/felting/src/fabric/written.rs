//! Static routes of the underlay, by what they are for.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use crate::id::Id;
use crate::value::IpPrefix;

/// The static routes that are no tenant's, by their places in the order of the files; switches by the index of their
/// id.
#[derive(Clone, Debug, Default)]
pub(crate) struct Written {
    of_device: FxHashMap<(usize, IpPrefix), SmallVec<[u32; 1]>>,
    of_prefix: FxHashMap<IpPrefix, Vec<u32>>,
    /// The lengths of their prefixes, the longest first.
    lengths: Vec<u8>,
}

impl Written {
    /// Of routes, each with its place, its switch, and what it is for.
    pub(super) fn of(routes: impl Iterator<Item = (usize, impl Id, IpPrefix)>) -> Self {
        let mut written = Self::default();
        for (place, device, to) in routes {
            let place = u32::try_from(place).unwrap_or(u32::MAX);
            written.of_device.entry((device.index(), to)).or_default().push(place);
            written.of_prefix.entry(to).or_default().push(place);
        }
        written.lengths = written.of_prefix.keys().map(IpPrefix::length).collect();
        written.lengths.sort_unstable_by(|a, b| b.cmp(a));
        written.lengths.dedup();
        written
    }

    /// The prefixes that some route may have for an address, the longest first.
    fn prefixes(&self, host: IpPrefix) -> impl Iterator<Item = IpPrefix> + '_ {
        let lengths = self.lengths.iter().filter(move |&&length| length <= host.length());
        lengths.map(move |&length| host.shortened(length))
    }

    /// The routes of a switch for an address, the longest first, of those of one length the last written first.
    pub(crate) fn at(&self, device: impl Id, host: IpPrefix) -> impl Iterator<Item = usize> + '_ {
        let device = device.index();
        let of = move |prefix| self.of_device.get(&(device, prefix)).into_iter();
        self.prefixes(host).flat_map(of).flat_map(|all| all.iter().rev()).map(|&at| at as usize)
    }

    /// The routes of all switches for an address, the longest first.
    pub(crate) fn for_address(&self, host: IpPrefix) -> impl Iterator<Item = usize> + '_ {
        let of = |prefix| self.of_prefix.get(&prefix).into_iter();
        self.prefixes(host).flat_map(of).flatten().map(|&at| at as usize)
    }

    /// The routes of all switches for exactly a prefix.
    pub(crate) fn for_prefix(&self, prefix: &IpPrefix) -> impl Iterator<Item = usize> + '_ {
        self.of_prefix.get(prefix).into_iter().flatten().map(|&at| at as usize)
    }
}
