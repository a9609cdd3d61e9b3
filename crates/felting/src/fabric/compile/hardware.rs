//! Kinds of switches.

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::things::Things;
use crate::diagnostic::At;
use crate::fabric::{Arenas, Hardware, HardwareId};
use crate::id::Id;
use crate::source::{Document, Faults, HardwareKeys, Layers, Many};

/// The kinds of switches by name, with their ports as written.
pub(super) struct Kinds<'s> {
    by_name: FxHashMap<SmolStr, HardwareId>,
    ports: Vec<Option<&'s At<Many<SmolStr>>>>,
}

pub(super) fn hardware<'s>(
    document: &'s Document,
    fabric: &mut Arenas,
    faults: &mut Faults,
) -> Kinds<'s> {
    let mut things = Things::new();
    for statement in &document.hardware {
        let Some(name) = &statement.keys.name else { continue };
        let shown = || format!("the hardware {}", name.value);
        things.add(name.value.clone(), name.span, statement, None, faults, shown);
    }
    let mut kinds = Kinds { by_name: FxHashMap::default(), ports: Vec::new() };
    for thing in things.order {
        let keys: &Layers<'_, HardwareKeys> = &thing.layers;
        let id = fabric.hardware.push(Hardware {
            name: At::new(thing.name.clone(), thing.span),
            lacp: keys.lacp().at(thing.span),
            routed_lags: keys.routed_lags().at(thing.span),
            members_in_use: keys.members_in_use().copied(),
            members_bundled: keys.members_bundled().copied(),
            mixed_rates: keys.mixed_rates().value(),
            stack_members: keys.stack_members().copied(),
            reserved_vlans: keys.reserved_vlans().cloned(),
            vtep: keys.vtep().at(thing.span),
            mtu: keys.mtu().copied(),
        });
        kinds.by_name.insert(thing.name, id);
        kinds.ports.push(keys.ports());
    }
    kinds
}

impl<'s> Kinds<'s> {
    /// The ports that a kind comes with.
    pub(super) fn ports_of(&self, kind: HardwareId) -> Option<&'s [At<SmolStr>]> {
        self.ports[kind.index()].map(|ports| &ports.value.0[..])
    }
}

pub(super) fn kind_of(
    name: &At<SmolStr>,
    kinds: &Kinds<'_>,
    faults: &mut Faults,
) -> Option<At<HardwareId>> {
    let found = kinds.by_name.get(&name.value);
    if found.is_none() {
        let mut known: Vec<_> = kinds.by_name.keys().map(SmolStr::as_str).collect();
        known.sort_unstable();
        faults.unknown("hardware", name, known, "add a [[hardware]] table of that name");
    }
    found.map(|&id| At::new(id, name.span))
}
