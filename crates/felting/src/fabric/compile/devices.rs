use std::borrow::Cow;

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::allotted::hash;
use super::hardware::{Kinds, kind_of};
use super::stacks;
use super::things::{MOST_PORTS, Things, deviations, spread, too_many};
use crate::diagnostic::{At, Span};
use crate::fabric::layout::{Layout, LayoutId};
use crate::fabric::{Arenas, Device, DeviceId, DeviceKind, HardwareId, Port, PortId};
use crate::id::{FromIndex, IdRange, IdVec};
use crate::source::{Document, FaultKind, Faults, HostKeys, Keys, Layers, Statement, SwitchKeys};
use crate::value::{MacAddr, Mtu, Number, Role};

/// A host and the keys that hold for it.
pub(super) type HostLayers<'s> = (DeviceId, Layers<'s, HostKeys>);

/// A device as the statements describe it, before its ports are made.
struct Described<'s> {
    cluster: Option<At<SmolStr>>,
    mtu: Option<At<Mtu>>,
    name: At<SmolStr>,
    kind: DeviceKind,
    number: Option<At<Number>>,
    role: Option<At<Role>>,
    hardware: Option<At<HardwareId>>,
    mac: Option<At<MacAddr>>,
    system_priority: u16,
    rack: Option<At<SmolStr>>,
    position: Option<At<SmolStr>>,
    software: Option<At<SmolStr>>,
    ports: Cow<'s, [At<SmolStr>]>,
}

pub(super) fn devices<'s>(
    document: &'s Document,
    kinds: &Kinds<'s>,
    fabric: &mut Arenas,
    faults: &mut Faults,
) -> Vec<HostLayers<'s>> {
    let mut layouts = Layouts::default();
    let mut stacks = stacks::written(document, faults);
    let (switches, numbers) = named::<SwitchKeys>(&document.switches, faults, |keys| &keys.name);
    for (thing, number) in switches.order.into_iter().zip(numbers) {
        let keys = &thing.layers;
        let hardware = keys.hardware().and_then(|name| kind_of(name, kinds, faults));
        let number = counted(keys.number(), number, faults);
        let of_kind = || hardware.and_then(|kind| kinds.ports_of(kind.value));
        let own = keys.ports().map(|ports| &ports.value.0[..]).or_else(of_kind);
        let stack = stacks.remove(&thing.name);
        let (places, ports) = match &stack {
            Some(stack) => {
                let (places, specs) = stack.places(kinds, own, faults);
                (places, Cow::Owned(specs))
            }
            None => (Vec::new(), Cow::Borrowed(own.unwrap_or_default())),
        };
        let specs = if stack.is_some() { ports.to_vec() } else { Vec::new() };
        let added = layouts.add(
            fabric,
            faults,
            Described {
                number,
                role: keys.role().copied(),
                hardware,
                mac: keys.mac().copied(),
                system_priority: keys.system_priority().value(),
                rack: keys.rack().cloned(),
                position: keys.position().cloned(),
                software: keys.software().cloned(),
                cluster: None,
                mtu: None,
                ports,
                name: At::new(thing.name, thing.span),
                kind: DeviceKind::Switch,
            },
        );
        if let (Some(stack), Some(device)) = (stack, added) {
            stack.add(&places, device, &specs, fabric);
        }
    }
    let mut unmade: Vec<_> = stacks.into_iter().collect();
    unmade.sort_unstable_by(|(a, _), (b, _)| a.cmp(b));
    for (_, stack) in unmade {
        stack.without_switch(fabric, faults);
    }
    let (hosts, _) = named::<HostKeys>(&document.hosts, faults, |keys| &keys.name);
    let mut layers = Vec::with_capacity(hosts.order.len());
    for thing in hosts.order {
        let keys = &thing.layers;
        let added = layouts.add(
            fabric,
            faults,
            Described {
                number: None,
                role: None,
                hardware: None,
                mac: keys.mac().copied(),
                system_priority: keys.system_priority().value(),
                rack: keys.rack().cloned(),
                position: keys.position().cloned(),
                software: None,
                cluster: keys.cluster().cloned(),
                mtu: keys.mtu().copied(),
                ports: Cow::Borrowed(keys.nics().map_or(&[][..], |nics| &nics.value.0)),
                name: At::new(thing.name, thing.span),
                kind: DeviceKind::Host,
            },
        );
        layers.extend(added.map(|device| (device, thing.layers)));
    }
    layers
}

/// The things that the statements' name ranges make, and the place of each in its range.
fn named<'s, K: Keys>(
    statements: &'s [Statement<K>],
    faults: &mut Faults,
    name: fn(&K) -> &Option<At<SmolStr>>,
) -> (Things<'s, SmolStr, K>, Vec<u32>) {
    let (mut things, mut places) = (Things::new(), Vec::new());
    for statement in statements {
        let Some(range) = name(&statement.keys) else { continue };
        let names: Vec<_> = spread(std::slice::from_ref(range), faults)
            .into_iter()
            .map(|name| name.value)
            .collect();
        let count = things.order.len() + names.len();
        if too_many(count, range.span, "switches and hosts", faults) {
            continue;
        }
        let deviations = deviations(statement, &names, faults);
        for (place, name) in names.into_iter().enumerate() {
            let shown = || format!("the {} {name}", K::TABLE);
            let deviation = deviations.get(&place).copied();
            things.add(name.clone(), range.span, statement, deviation, faults, shown);
            if things.order.len() > places.len() {
                places.push(u32::try_from(place).unwrap_or(u32::MAX));
            }
        }
    }
    (things, places)
}

/// A range of names counts on from the written number.
fn counted(number: Option<&At<Number>>, place: u32, faults: &mut Faults) -> Option<At<Number>> {
    let first = number?;
    match Number::new(first.get().saturating_add(place)) {
        Ok(number) => Some(At::new(number, first.span)),
        Err(range) => {
            faults.add(
                FaultKind::BadValue,
                first.span,
                format!("counting on from `number` {} leaves its bounds", first.get()),
                format!("expected {range}"),
                "begin with a smaller number",
            );
            None
        }
    }
}

/// Lists of ports that were made already, by the text that made them.
#[derive(Default)]
struct Layouts {
    made: FxHashMap<String, LayoutId>,
    key: String,
    full: bool,
}

impl Layouts {
    fn add(
        &mut self,
        fabric: &mut Arenas,
        faults: &mut Faults,
        described: Described<'_>,
    ) -> Option<DeviceId> {
        if let Some(&first) = fabric.device_names.get(&described.name.value) {
            // Two of a kind were reported with their statements; this is a host named as a switch.
            faults
                .add(
                    FaultKind::NameTwice,
                    described.name.span,
                    format!("{} is a switch and a host", described.name.value),
                    "named again",
                    "give one of them another name: cables could not tell them apart",
                )
                .related(fabric.devices[first].name.span, "named first");
            return None;
        }
        let specs = &*described.ports;
        let layout = self.layout(fabric, faults, specs);
        let name = described.name;
        let id = fabric.devices.next_id();
        let ports = self.ports(fabric, faults, id, layout, specs, name.span);
        fabric.device_names.insert(name.value.clone(), id);
        let mac = described.mac.unwrap_or_else(|| match described.number {
            Some(number) => At::new(MacAddr::allotted(0, number.get()), number.span),
            None => At::new(MacAddr::allotted(1, hash(&name.value)), name.span),
        });
        fabric.devices.push(Device {
            kind: described.kind,
            number: described.number,
            role: described.role,
            hardware: described.hardware,
            mac,
            system_priority: described.system_priority,
            rack: described.rack,
            position: described.position,
            ports,
            software: described.software,
            cluster: described.cluster,
            mtu: described.mtu,
            stack: None,
            tree: None,
            router: None,
            pair: None,
            layout,
            name,
        });
        Some(id)
    }

    fn layout(
        &mut self,
        fabric: &mut Arenas,
        faults: &mut Faults,
        specs: &[At<SmolStr>],
    ) -> LayoutId {
        self.key.clear();
        for spec in specs {
            self.key.push_str(&spec.value);
            self.key.push('\n');
        }
        if let Some(&layout) = self.made.get(&self.key) {
            return layout;
        }
        let layout = fabric.layouts.push(Layout::read(specs, faults));
        self.made.insert(self.key.clone(), layout);
        layout
    }

    fn ports(
        &mut self,
        fabric: &mut Arenas,
        faults: &mut Faults,
        device: DeviceId,
        layout: LayoutId,
        specs: &[At<SmolStr>],
        name: Span,
    ) -> IdRange<PortId> {
        let start = fabric.ports.next_id();
        let made = &fabric.layouts[layout].ports;
        if fabric.ports.len() + made.len() > MOST_PORTS {
            if !self.full {
                self.full = true;
                faults.add(
                    FaultKind::RangeTooLarge,
                    name,
                    format!("the fabric would have over {MOST_PORTS} ports"),
                    "no ports are made from here on",
                    "check the ranges of names and ports",
                );
            }
            return IdRange::new(start, start);
        }
        for port in made {
            let place = fabric.ports.len();
            let back = usize::from(port.back_to_parent);
            fabric.ports.push(Port {
                device,
                span: specs[port.spec as usize].span.into(),
                speed: port.speed,
                duplex: port.duplex,
                lanes: port.lanes,
                lane_of: (back > 0).then(|| PortId::from_index(place - back)),
            });
        }
        IdRange::new(start, fabric.ports.next_id())
    }
}

/// Makes the per-port facts that later steps fill.
pub(super) fn per_port<T: Clone>(fabric: &Arenas, value: T) -> IdVec<PortId, T> {
    IdVec::filled(&fabric.ports, value)
}
