//! What is made so far, for the steps that come after the devices.

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::stacks::missing_member;
use super::things::{MOST_THINGS, Thing, Things, deviations, spread};
use crate::diagnostic::At;
use crate::fabric::names::Names;
use crate::fabric::{Arenas, Device, DeviceId, DeviceKind, PortId};
use crate::id::IdVec;
use crate::source::{Deviation, FaultKind, Faults, Keys, Many, Statement, inner};

/// What the later steps need: the devices are settled, the rest grows.
pub(super) struct Made<'a> {
    pub(super) devices: &'a IdVec<DeviceId, Device>,
    pub(super) names: &'a Names<'a>,
    pub(super) fabric: &'a mut Arenas,
    pub(super) faults: &'a mut Faults,
    /// The last LACP key given to a LAG of each device.
    pub(super) last_key: FxHashMap<DeviceId, u16>,
    /// How many names ranges have made so far.
    pub(super) spread: usize,
}

impl Made<'_> {
    pub(super) fn switches(&mut self, on: &[At<SmolStr>]) -> Vec<DeviceId> {
        self.names.select(on, DeviceKind::Switch, self.faults)
    }

    pub(super) fn find_port(&self, device: DeviceId, name: &str) -> Option<PortId> {
        let device = &self.devices[device];
        device.ports.get(self.fabric.layouts[device.layout].find(name)?)
    }

    /// A port by name, or a fault with the nearest name on the device.
    pub(super) fn port(&mut self, device: DeviceId, name: &At<SmolStr>) -> Option<At<PortId>> {
        let found = self.find_port(device, &name.value);
        if found.is_none() {
            let made = &self.devices[device];
            unknown_port(self.fabric, made, name, self.faults);
        }
        found.map(|port| At::new(port, name.span))
    }

    /// The two names of a text such as `inlet-a p52`, or a fault that shows an example.
    pub(super) fn switch_and_port(
        &mut self,
        text: &At<SmolStr>,
        example: &str,
    ) -> Option<(At<SmolStr>, At<SmolStr>)> {
        let mut words = text.value.split_ascii_whitespace().map(|word| {
            let start = word.as_ptr() as usize - text.value.as_ptr() as usize;
            At::new(SmolStr::new(word), inner(text.span, &text.value, start..start + word.len()))
        });
        if let (Some(device), Some(port), None) = (words.next(), words.next(), words.next()) {
            return Some((device, port));
        }
        self.faults.add(
            FaultKind::BadValue,
            text.span,
            format!("{:?} is not a switch and a port", text.value),
            format!("expected a switch and a port, such as \"{example}\""),
            "write the name of the switch, a space, and that of the port",
        );
        None
    }

    /// The names that a statement's ranges make, each with the place of its range.
    pub(super) fn spread(&mut self, ranges: Option<&At<Many<SmolStr>>>) -> Vec<At<SmolStr>> {
        let Some(ranges) = ranges else { return Vec::new() };
        // The ports of one statement are spread out for each of its switches.
        if self.has_spread_too_much() {
            let what = format!("ranges name over {MOST_THINGS} ports for LAGs and interfaces");
            let remedy = "check the ranges";
            let kind = FaultKind::RangeTooLarge;
            self.faults.add(kind, ranges.span, what, "too many from here on", remedy);
            return Vec::new();
        }
        let names = spread(&ranges.value.0, self.faults);
        self.spread += names.len();
        names
    }

    /// The statements of one kind by name.
    pub(super) fn named<'s, K: Keys>(
        &mut self,
        statements: &'s [Statement<K>],
        name: fn(&K) -> &Option<At<SmolStr>>,
    ) -> Vec<Thing<'s, SmolStr, K>> {
        let mut things = Things::new();
        for statement in statements {
            let Some(name) = name(&statement.keys) else { continue };
            let shown = || format!("the {} {}", K::TABLE, name.value);
            things.add(name.value.clone(), name.span, statement, None, self.faults, shown);
        }
        things.order
    }

    /// Whether ranges have made so many names that no more are made.
    pub(super) fn has_spread_too_much(&self) -> bool {
        self.spread > MOST_THINGS
    }

    /// For each device of a statement, the deviation that holds for it.
    pub(super) fn deviations<'s, K: Keys>(
        &mut self,
        statement: &'s Statement<K>,
        devices: &[DeviceId],
    ) -> FxHashMap<DeviceId, &'s Deviation<K>> {
        let name = |id: DeviceId| self.devices[id].name.value.clone();
        let names: Vec<_> = if statement.differs.is_empty() {
            Vec::new()
        } else {
            devices.iter().map(|&id| name(id)).collect()
        };
        let by_place = deviations(statement, &names, self.faults);
        by_place.into_iter().map(|(place, deviation)| (devices[place], deviation)).collect()
    }
}

pub(super) fn unknown_port(
    fabric: &Arenas,
    device: &Device,
    name: &At<SmolStr>,
    faults: &mut Faults,
) {
    if !faults.keeps(name.span, FaultKind::UnknownName) {
        return;
    }
    if missing_member(fabric, device, name, faults) {
        return;
    }
    let layout = &fabric.layouts[device.layout];
    let letters = |name: &str| name.trim_end_matches(|c: char| c.is_ascii_digit()).len();
    let stem = &name.value[..letters(&name.value)];
    let mut alike =
        layout.ports.iter().filter(|p| p.name.starts_with(stem) && letters(&p.name) == stem.len());
    let remedy = match (alike.next(), alike.next_back()) {
        // A number beyond the ports is not a misspelling of some other port's name.
        (Some(first), Some(last)) => {
            format!("its ports of that name are {} to {}", first.name, last.name)
        }
        _ => {
            match faults.nearest(&name.value, layout.ports.iter().map(|port| port.name.as_str())) {
                Some(nearest) => format!("did you mean {nearest}?"),
                None if layout.ports.is_empty() => format!("give {} its ports", device.name.value),
                None => format!("add the port to {}, or correct the name", device.name.value),
            }
        }
    };
    faults
        .add(
            FaultKind::UnknownName,
            name.span,
            format!("{} has no port {}", device.name.value, name.value),
            "no such port",
            remedy,
        )
        .related(device.name.span, format!("{} is written here", device.name.value));
}
