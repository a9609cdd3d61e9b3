use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::made::Made;
use super::things::{Things, too_many};
use crate::diagnostic::At;
use crate::fabric::layout::report_range;
use crate::fabric::{
    DeviceId, DeviceKind, Management, PortId, Repeater, TreeInstance, TreeSettings,
};
use crate::source::{Document, FaultKind, Layers, ManagementKeys, Statement, TreeKeys, expand};

impl Made<'_> {
    /// What each switch does about loops, with the switch.
    pub(super) fn trees(&mut self, document: &Document) -> Vec<(DeviceId, TreeSettings)> {
        let mut things: Things<'_, DeviceId, TreeKeys> = Things::new();
        for statement in &document.trees {
            let Some(on) = &statement.keys.on else { continue };
            let switches = self.switches(&on.value.0);
            let deviations = self.deviations(statement, &switches);
            for switch in switches {
                let shown = || format!("the spanning tree of {}", self.devices[switch].name.value);
                let deviation = deviations.get(&switch).copied();
                things.add(switch, on.span, statement, deviation, self.faults, shown);
            }
        }
        let settings = things.order.into_iter().map(|thing| {
            let settings = self.tree(thing.name, thing.span, &thing.layers);
            (thing.name, settings)
        });
        settings.collect()
    }

    fn tree(
        &mut self,
        switch: DeviceId,
        span: crate::diagnostic::Span,
        keys: &Layers<'_, TreeKeys>,
    ) -> TreeSettings {
        let mode = keys.mode().at(span);
        let mut instances: Vec<TreeInstance> = Vec::new();
        for written in keys.instances().map_or(&[][..], |instances| &instances.value.0) {
            let (Some(id), Some(vlans)) = (written.id, &written.vlans) else { continue };
            let twice = instances.iter().find(|known| {
                known.id.value == id.value || vlans.iter().any(|vlan| known.vlans.contains(vlan))
            });
            if let Some(known) = twice {
                self.faults
                    .add(
                        FaultKind::NameTwice,
                        id.span,
                        format!(
                            "the instances {} and {} of one region have a number or a VLAN in common",
                            known.id.value, id.value
                        ),
                        "written again",
                        "give each instance its own number, and each VLAN to one instance",
                    )
                    .related(known.id.span, "written first");
                continue;
            }
            instances.push(TreeInstance { id, vlans: vlans.clone(), priority: written.priority });
        }
        instances.sort_by_key(|instance| instance.id.value);
        let priorities = keys.vlan_priorities().map_or(&[][..], |all| &all.value.0);
        TreeSettings {
            switch,
            span: span.into(),
            mode,
            priority: keys.priority().written().copied(),
            region: keys.region().cloned(),
            revision: keys.revision().at(span),
            instances,
            vlan_priorities: priorities
                .iter()
                .filter_map(|written| Some((written.vlans.clone()?, written.priority?)))
                .collect(),
            path_costs: keys.path_costs().value(),
        }
    }

    pub(super) fn repeaters(&mut self, document: &Document) {
        let mut taken: FxHashMap<PortId, At<SmolStr>> = FxHashMap::default();
        let mut things = Things::new();
        for statement in &document.repeaters {
            let Some(name) = &statement.keys.name else { continue };
            let shown = || format!("the repeater {}", name.value);
            things.add(name.value.clone(), name.span, statement, None, self.faults, shown);
        }
        for thing in things.order {
            let name = At::new(thing.name, thing.span);
            let keys: &Layers<'_, crate::source::RepeaterKeys> = &thing.layers;
            let mut ports: Vec<At<PortId>> = Vec::new();
            for text in keys.ports().map_or(&[][..], |ports| &ports.value.0) {
                for port in self.attached(text) {
                    let cabled = self.fabric.plugged[port.value].is_some();
                    let first = taken.insert(port.value, name.clone());
                    if cabled || first.is_some() {
                        let label = self.port_label(port.value);
                        let what = if cabled { "has a cable" } else { "is on a repeater" };
                        self.faults.add(
                            FaultKind::NameTwice,
                            port.span,
                            format!("{label} {what} already"),
                            "a port that is free",
                            "take the port out here or there",
                        );
                        continue;
                    }
                    ports.push(port);
                }
            }
            self.fabric.repeaters.push(Repeater { name, ports });
        }
    }

    fn port_label(&self, port: PortId) -> String {
        let device = &self.devices[self.fabric.ports[port].device];
        let place = device.ports.iter().position(|own| own == port).unwrap_or(0);
        let name = self.fabric.layouts[device.layout].name(place);
        format!("{} {name}", device.name.value)
    }

    /// The ports that a text such as `mud-[1-3] p4` means.
    fn attached(&mut self, text: &At<SmolStr>) -> Vec<At<PortId>> {
        let Some((device, port)) = self.switch_and_port(text, "mud-[1-3] p4") else {
            return Vec::new();
        };
        let mut ports = Vec::new();
        let names = |made: &mut Self, text: &At<SmolStr>| match expand(&text.value) {
            Ok(names) => names,
            Err(fault) => {
                report_range(made.faults, text, 0, &text.value, &fault);
                Vec::new()
            }
        };
        let (devices, port_names) = (names(self, &device), names(self, &port));
        if too_many(
            devices.len().saturating_mul(port_names.len()),
            text.span,
            "ports on a repeater",
            self.faults,
        ) {
            return ports;
        }
        for name in devices {
            let found =
                self.names.one(&At::new(name, device.span), Some(DeviceKind::Switch), self.faults);
            let Some(found) = found else { continue };
            for name in &port_names {
                ports.extend(self.port(found, &At::new(name.clone(), port.span)));
            }
        }
        ports
    }

    pub(super) fn management(&mut self, document: &Document) {
        for (thing, statements) in
            self.by_name(&document.management, |keys: &ManagementKeys| &keys.name)
        {
            let keys = &thing.layers;
            let switches = self.present(keys.on());
            let deviations: Vec<_> = statements
                .iter()
                .map(|statement: &&Statement<ManagementKeys>| self.deviations(statement, &switches))
                .collect();
            let subnets = keys.subnet().map(|all| all.value.0.clone()).unwrap_or_default();
            let addressed = switches.iter().map(|&switch| {
                let here = super::tenants::layers_at(&statements, &deviations, switch);
                let addresses = match here.address() {
                    Some(written) => written.value.0.clone(),
                    None => {
                        let number = self.devices[switch].number;
                        let nth = |subnet: &At<crate::value::IpPrefix>| {
                            Some(At::new(subnet.nth(number?.get())?, subnet.span))
                        };
                        subnets.iter().filter_map(nth).collect()
                    }
                };
                (switch, addresses)
            });
            let switches = addressed.collect();
            self.fabric.management.push(Management {
                name: At::new(thing.name, thing.span),
                subnets,
                vrf: keys.vrf().cloned(),
                gateways: keys.gateway().map(|all| all.value.0.clone()).unwrap_or_default(),
                switches,
            });
        }
    }
}
