//! Finding devices by name, range and pattern.

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::layout::report_range;
use super::{Device, DeviceId, DeviceKind};
use crate::diagnostic::At;
use crate::id::IdVec;
use crate::source::{FaultKind, Faults, NameIndex, Pattern};

/// The devices by name: in a table for single names, in an index for patterns.
pub(crate) struct Names<'a> {
    by_name: &'a FxHashMap<SmolStr, DeviceId>,
    devices: &'a IdVec<DeviceId, Device>,
    index: NameIndex<'a, DeviceId>,
}

impl<'a> Names<'a> {
    pub(crate) fn new(
        by_name: &'a FxHashMap<SmolStr, DeviceId>,
        devices: &'a IdVec<DeviceId, Device>,
    ) -> Self {
        let names = devices.iter().map(|(id, device)| (device.name.as_str(), id));
        Self { by_name, devices, index: NameIndex::new(names) }
    }

    /// The device of one name, or a fault.
    pub(crate) fn one(
        &self,
        name: &At<SmolStr>,
        kind: Option<DeviceKind>,
        faults: &mut Faults,
    ) -> Option<DeviceId> {
        let found = self.by_name.get(&name.value).copied();
        let found = found.filter(|&id| kind.is_none_or(|kind| self.devices[id].kind == kind));
        if found.is_none() {
            self.unknown(&name.value, name, kind, faults);
        }
        found
    }

    /// All devices of a kind that the names, ranges and patterns mean, in order, each once.
    pub(crate) fn select(
        &self,
        on: &[At<SmolStr>],
        kind: DeviceKind,
        faults: &mut Faults,
    ) -> Vec<DeviceId> {
        let mut found = Vec::new();
        for text in on {
            if let Some(&id) = self.by_name.get(&text.value) {
                if self.devices[id].kind == kind {
                    found.push(id);
                } else {
                    self.unknown(&text.value, text, Some(kind), faults);
                }
                continue;
            }
            let pattern = match Pattern::parse(&text.value) {
                Ok(pattern) => pattern,
                Err(fault) => {
                    report_range(faults, text, 0, &text.value, &fault);
                    continue;
                }
            };
            for glob in pattern.globs() {
                self.select_glob(glob, text, kind, &mut found, faults);
            }
        }
        found.sort_unstable();
        found.dedup();
        found
    }

    fn select_glob(
        &self,
        glob: &SmolStr,
        text: &At<SmolStr>,
        kind: DeviceKind,
        found: &mut Vec<DeviceId>,
        faults: &mut Faults,
    ) {
        if !glob.contains('*') {
            match self.by_name.get(glob).filter(|&&id| self.devices[id].kind == kind) {
                Some(&id) => found.push(id),
                None => self.unknown(glob, text, Some(kind), faults),
            }
            return;
        }
        let before = found.len();
        let of_kind = |&id: &DeviceId| self.devices[id].kind == kind;
        found.extend(self.index.matching(glob).into_iter().filter(of_kind));
        if found.len() == before {
            let what = kind_name(Some(kind));
            faults.add(
                FaultKind::MatchesNothing,
                text.span,
                format!("the pattern {glob:?} matches no {what}"),
                format!("expected a pattern that matches a {what}"),
                "check the spelling, or take the statement out",
            );
        }
    }

    fn unknown(&self, name: &str, at: &At<SmolStr>, kind: Option<DeviceKind>, faults: &mut Faults) {
        if !faults.keeps(at.span, FaultKind::UnknownName) {
            return;
        }
        let of_kind = |id: DeviceId| kind.is_none_or(|kind| self.devices[id].kind == kind);
        let names = self.index.names().iter();
        let names = names.filter(|&&(_, id)| of_kind(id)).map(|&(name, _)| name);
        let what = kind_name(kind);
        let begun = self.index.any_begins(name);
        let remedy = match faults.nearest(name, names) {
            Some(nearest) => format!("did you mean {nearest}?"),
            None if begun => format!("did you mean all that begin so: {name}*?"),
            None => format!("add the {what}, or correct the name"),
        };
        faults.add(
            FaultKind::UnknownName,
            at.span,
            format!("there is no {what} {name}"),
            "no such name",
            remedy,
        );
    }
}

fn kind_name(kind: Option<DeviceKind>) -> &'static str {
    match kind {
        Some(DeviceKind::Switch) => "switch",
        Some(DeviceKind::Host) => "host",
        None => "switch or host",
    }
}
