//! EVPN instances of several segments.

use super::made::Made;
use crate::diagnostic::At;
use crate::fabric::{Evi, SegmentId};
use crate::source::{Document, FaultKind};

impl Made<'_> {
    pub(super) fn evis(&mut self, document: &Document) {
        for thing in self.named(&document.evis, |keys| &keys.name) {
            let keys = &thing.layers;
            let id = self.fabric.evis.next_id();
            let mut segments: Vec<At<SegmentId>> = Vec::new();
            for name in keys.segments().map_or(&[][..], |all| &all.value.0) {
                let Some(At { value: segment, .. }) = self.segment(name) else { continue };
                let own = &mut self.fabric.segments[segment];
                if own.evi.is_some() {
                    self.faults.add(
                        FaultKind::NameTwice,
                        name.span,
                        format!("the segment {} is in two EVPN instances", name.value),
                        "named again",
                        "take it out of one of them",
                    );
                    continue;
                }
                own.evi = Some(id);
                segments.push(At::new(segment, name.span));
            }
            self.fabric.evis.push(Evi {
                number: keys.number().map(|number| number.get()),
                targets: keys.targets().map(|all| all.value.0.clone()),
                name: At::new(thing.name, thing.span),
                segments,
            });
        }
    }
}
