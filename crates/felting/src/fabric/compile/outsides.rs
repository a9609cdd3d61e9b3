//! Networks outside, and leaks between VRFs.

use super::made::Made;
use super::tenants::VrfNames;
use crate::diagnostic::At;
use crate::fabric::{DeviceKind, Leak, Outside};
use crate::source::{Document, FaultKind};

impl Made<'_> {
    pub(super) fn outsides(&mut self, document: &Document, vrfs: &VrfNames) {
        for thing in self.named(&document.outsides, |keys| &keys.name) {
            let keys = &thing.layers;
            let on = self.present(keys.on());
            // What nobody leads to is nowhere, which is told at `on`.
            if on.is_empty() {
                continue;
            }
            let Some(vrf) = keys.vrf().and_then(|name| self.vrf(name, vrfs)) else { continue };
            let prefixes = keys.prefixes().map(|all| all.value.0.clone()).unwrap_or_default();
            let segment = keys.segment().and_then(|name| self.segment(name));
            let via = keys.via().and_then(|name| {
                let switch = self.names.one(name, Some(DeviceKind::Switch), self.faults)?;
                Some(At::new(switch, name.span))
            });
            let name = At::new(thing.name, thing.span);
            self.fabric.outsides.push(Outside { name, vrf, on, prefixes, via, segment });
        }
        for statement in &document.leaks {
            let keys = &statement.keys;
            let from = keys.from.as_ref().and_then(|name| self.vrf(name, vrfs));
            let to = keys.to.as_ref().and_then(|name| self.vrf(name, vrfs));
            let on = keys.on.as_ref().map(|on| self.switches(&on.value.0));
            let (Some(from), Some(to)) = (from, to) else { continue };
            if from.value == to.value {
                self.faults
                    .add(
                        FaultKind::BadValue,
                        to.span,
                        "a leak leads from a VRF to itself".to_owned(),
                        "expected another VRF",
                        "name the VRF that gets the routes",
                    )
                    .related(from.span, "the routes' VRF");
                continue;
            }
            self.fabric.leaks.push(Leak {
                span: statement.span.into(),
                from,
                to,
                prefixes: keys.prefixes.as_ref().map(|all| all.value.0.clone()),
                on,
                one_way: keys.one_way.is_some_and(|one_way| one_way.value),
            });
        }
    }
}
