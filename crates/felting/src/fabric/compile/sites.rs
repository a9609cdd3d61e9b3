//! Sites, and the WAN paths between them.

use smol_str::SmolStr;

use super::made::Made;
use crate::diagnostic::At;
use crate::fabric::{DeviceKind, PortId, Site, Wan};
use crate::source::{Document, FaultKind};

impl Made<'_> {
    pub(super) fn sites(&mut self, document: &Document) {
        for thing in self.named(&document.sites, |keys| &keys.name) {
            let keys = &thing.layers;
            let on = self.present(keys.on());
            let delay_bound = keys.delay_bound().copied();
            self.fabric.sites.push(Site { name: At::new(thing.name, thing.span), on, delay_bound });
        }
        for thing in self.named(&document.wans, |keys| &keys.name) {
            let keys = &thing.layers;
            let written = keys.ends().map_or(&[][..], |ends| &ends.value.0);
            let ends: Vec<_> = written.iter().filter_map(|end| self.wan_end(end)).collect();
            let [a, b] = ends[..] else {
                if written.len() != 2 {
                    self.faults.add(
                        FaultKind::BadValue,
                        thing.span,
                        format!("the WAN path {} has {} ends", thing.name, written.len()),
                        "expected two ends, such as [\"inlet-a p52\", \"skerry-a p1\"]",
                        "write one [[wan]] a path",
                    );
                }
                continue;
            };
            self.fabric.wans.push(Wan {
                tags: keys.tags().map(|all| all.value.0.clone()).unwrap_or_default(),
                delay: keys.delay().copied(),
                mtu: keys.mtu().copied(),
                encrypted: keys.encrypted().value(),
                name: At::new(thing.name, thing.span),
                ends: [a, b],
            });
        }
    }

    /// The port that a text such as `inlet-a p52` means.
    fn wan_end(&mut self, text: &At<SmolStr>) -> Option<At<PortId>> {
        let (device, port) = self.switch_and_port(text, "inlet-a p52")?;
        let found = self.names.one(&device, Some(DeviceKind::Switch), self.faults)?;
        self.port(found, &port)
    }
}
