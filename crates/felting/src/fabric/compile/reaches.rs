//! What is beyond single switches: policies, static routes, sites and WANs, leaks, networks outside.

use std::net::IpAddr;

use smol_str::SmolStr;

use super::made::Made;
use super::tenants::VrfNames;
use super::things::{Thing, Things};
use crate::diagnostic::At;
use crate::fabric::{
    DeviceId, DeviceKind, Evi, Leak, Outside, Policy, PortId, SegmentId, Site, StaticRoute, Via,
    Wan,
};
use crate::source::{Document, FaultKind, Keys, Statement, inner};

impl Made<'_> {
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

    pub(super) fn policies(&mut self, document: &Document) {
        for thing in self.named(&document.policies, |keys| &keys.name) {
            let keys = &thing.layers;
            self.fabric.policies.push(Policy {
                permit: keys.permit().map(|all| all.value.0.clone()),
                deny: keys.deny().map(|all| all.value.0.clone()).unwrap_or_default(),
                name: At::new(thing.name, thing.span),
            });
        }
    }

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
                        "expected two ends, such as [\"inlet-a et52\", \"skerry-a et1\"]",
                        "write one [[wan]] a path",
                    );
                }
                continue;
            };
            self.fabric.wans.push(Wan {
                tags: keys.tags().map(|all| all.value.0.clone()).unwrap_or_default(),
                delay: keys.delay().copied(),
                mtu: keys.mtu().copied(),
                name: At::new(thing.name, thing.span),
                ends: [a, b],
            });
        }
    }

    /// The port that a text such as `inlet-a et52` means.
    fn wan_end(&mut self, text: &At<SmolStr>) -> Option<At<PortId>> {
        let mut words = text.value.split_ascii_whitespace().map(|word| {
            let start = word.as_ptr() as usize - text.value.as_ptr() as usize;
            At::new(SmolStr::new(word), inner(text.span, &text.value, start..start + word.len()))
        });
        let (Some(device), Some(port), None) = (words.next(), words.next(), words.next()) else {
            self.faults.add(
                FaultKind::BadValue,
                text.span,
                format!("{:?} is not a switch and a port", text.value),
                "expected a switch and a port, such as \"inlet-a et52\"",
                "write the name of the switch, a space, and that of the port",
            );
            return None;
        };
        let found = self.names.one(&device, Some(DeviceKind::Switch), self.faults)?;
        self.port(found, &port)
    }

    pub(super) fn static_routes(&mut self, document: &Document, vrfs: &VrfNames) {
        for statement in &document.routes {
            let keys = &statement.keys;
            let (Some(on), Some(to), Some(via)) = (&keys.on, &keys.to, &keys.via) else { continue };
            let vrf = keys.vrf.as_ref().and_then(|name| self.vrf(name, vrfs));
            let known = match via.value.parse::<IpAddr>() {
                Ok(address) => Some(Via::Address(address)),
                Err(_) => {
                    let wan = self.fabric.wans.iter().find(|(_, w)| w.name.value == via.value);
                    wan.map(|(id, _)| Via::Wan(id))
                }
            };
            let via = match known {
                Some(known) => At::new(known, via.span),
                None => match self.switch_or_way(via) {
                    Some(switch) => At::new(Via::Device(switch), via.span),
                    None => continue,
                },
            };
            let within = keys.within;
            if let Some(within) = within.filter(|_| !matches!(via.value, Via::Wan(_))) {
                self.faults
                    .add(
                        FaultKind::BadValue,
                        within.span,
                        "a bound on the delay of a route that leads by no WAN path".to_owned(),
                        "expected `via` to name a [[wan]]",
                        "take `within` out, or lead the route by a WAN path",
                    )
                    .related(via.span, "it leads by this");
            }
            for device in self.switches(&on.value.0) {
                for &to in &to.value.0 {
                    self.fabric.static_routes.push(StaticRoute { device, to, via, vrf, within });
                }
            }
        }
    }

    /// The switch that a static route leads by, or a fault with what else it could lead by.
    fn switch_or_way(&mut self, via: &At<SmolStr>) -> Option<DeviceId> {
        let switches = || self.devices.iter().filter(|(_, d)| d.kind == DeviceKind::Switch);
        if let Some((id, _)) = switches().find(|(_, device)| device.name.value == via.value) {
            return Some(id);
        }
        let wans = self.fabric.wans.values().map(|wan| wan.name.as_str());
        let known = wans.chain(switches().map(|(_, device)| device.name.as_str()));
        let remedy = match self.faults.nearest(&via.value, known) {
            Some(nearest) => format!("did you mean {nearest}?"),
            None => "add a [[wan]] of that name, or name a switch or an address".to_owned(),
        };
        self.faults.add(
            FaultKind::UnknownName,
            via.span,
            format!("a static route leads by {}, which is nothing here", via.value),
            "expected an address, a switch or a WAN path",
            remedy,
        );
        None
    }

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
                span: statement.span,
                from,
                to,
                prefixes: keys.prefixes.as_ref().map(|all| all.value.0.clone()),
                on,
                one_way: keys.one_way.is_some_and(|one_way| one_way.value),
            });
        }
    }

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
