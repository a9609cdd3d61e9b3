//! Faults of single ports.

mod down_in_use;
mod layer_clash;
mod mtu_clash;
mod mtu_one_sided;
mod mtu_unsupported;
mod partition_clash;
mod untagged_also_tagged;
mod untagged_clash;
mod vlan_clash;

use std::collections::hash_map::Entry;

use rustc_hash::FxHashMap;

use super::{Check, Context};
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, DeviceKind, PortId, PortSettings};

pub(super) use layer_clash::carried_over_routed;

pub(super) static RULES: &[&Check] = &[
    &down_in_use::RULE,
    &partition_clash::RULE,
    &layer_clash::RULE,
    &vlan_clash::RULE,
    &untagged_clash::RULE,
    &untagged_also_tagged::RULE,
    &mtu_clash::RULE,
    &mtu_one_sided::RULE,
    &mtu_unsupported::RULE,
];

/// Links that clash, one for each place at which the clash is written: a statement for many ports that
/// is wrong once is one fault. With each, how many more links it is wrong for.
pub(super) fn once_a_place<L>(
    links: impl Iterator<Item = L>,
    place: impl Fn(&L) -> Span,
) -> Vec<(L, String)> {
    let mut known: FxHashMap<Span, usize> = FxHashMap::default();
    let mut found: Vec<(L, usize)> = Vec::new();
    for link in links {
        match known.entry(place(&link)) {
            Entry::Occupied(first) => found[*first.get()].1 += 1,
            Entry::Vacant(new) => {
                new.insert(found.len());
                found.push((link, 0));
            }
        }
    }
    let more = |count: usize| match count {
        0 => String::new(),
        1 => " (and at 1 more link)".to_owned(),
        count => format!(" (and at {count} more links)"),
    };
    found.into_iter().map(|(link, count)| (link, more(count))).collect()
}

/// One end of a link between two switches that is in no LAG.
pub(super) struct End<'a> {
    pub(super) label: String,
    pub(super) device: DeviceId,
    pub(super) own: &'a PortSettings,
}

/// The links between single ports of two switches of which both are bridged. Of a port that no
/// statement sets nothing is known that could clash.
pub(super) fn bridged_links<'a>(
    cx: &'a Context<'_>,
) -> impl Iterator<Item = [End<'a>; 2]> + use<'a> {
    let fabric = cx.fabric;
    let end = move |port: PortId| {
        let device = fabric.port(port).device;
        let own = fabric.settings_of(port).filter(|own| own.addresses.is_empty())?;
        let carries = !own.tagged.is_empty() || own.untagged.is_some();
        let switch = fabric.device(device).kind == DeviceKind::Switch;
        (carries && switch && fabric.lag_of(port).is_none()).then(|| End {
            label: fabric.port_label(port),
            device,
            own,
        })
    };
    fabric.cables().filter_map(move |(_, cable)| {
        let [a, b] = cable.ends.map(|end| end.value);
        let linked = cx.state.far(a) == Some(b) && fabric.port(a).device != fabric.port(b).device;
        Some([end(a).filter(|_| linked)?, end(b)?])
    })
}
