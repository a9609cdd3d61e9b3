use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::allotted::hash;
use super::hardware::{Kinds, kind_of};
use super::things::Things;
use crate::diagnostic::At;
use crate::fabric::{Arenas, DeviceKind, PortId, Stack, StackMember};
use crate::id::{FromIndex, Id, IdRange};
use crate::source::{Document, FaultKind, Faults, Keys, Layers, StackKeys, StackMemberKeys, inner};
use crate::value::{MacAddr, SplitDetection, StackMemberNumber};

/// A stack's statement, before the switch that it makes.
pub(super) struct Written<'s> {
    switch: At<SmolStr>,
    layers: Layers<'s, StackKeys>,
}

/// One member as it is written, with the ports that it brings.
pub(super) struct Place<'s> {
    id: At<StackMemberNumber>,
    keys: &'s StackMemberKeys,
    same_id_as: Option<usize>,
    hardware: Option<At<crate::fabric::HardwareId>>,
    /// How many of the switch's port specifications are this member's.
    specs: usize,
    stack_specs: usize,
}

/// The stacks by the name of their switch.
pub(super) fn written<'s>(
    document: &'s Document,
    faults: &mut Faults,
) -> FxHashMap<SmolStr, Written<'s>> {
    let mut things: Things<'_, SmolStr, StackKeys> = Things::new();
    for statement in &document.stacks {
        let Some(switch) = &statement.keys.switch else { continue };
        let shown = || format!("the stack {}", switch.value);
        things.add(switch.value.clone(), switch.span, statement, None, faults, shown);
    }
    let stacks = things.order.into_iter().map(|thing| {
        let switch = At::new(thing.name.clone(), thing.span);
        (thing.name, Written { switch, layers: thing.layers })
    });
    stacks.collect()
}

impl<'s> Written<'s> {
    /// The members, and the port specifications of all of them with the member's number in front.
    pub(super) fn places(
        &self,
        kinds: &Kinds<'s>,
        own: Option<&'s [At<SmolStr>]>,
        faults: &mut Faults,
    ) -> (Vec<Place<'s>>, Vec<At<SmolStr>>) {
        let (mut places, mut specs): (Vec<Place<'s>>, Vec<At<SmolStr>>) = Default::default();
        let members = self.layers.members().map_or(&[][..], |members| &members.value.0);
        if members.is_empty() {
            faults.add(
                FaultKind::StackMembers,
                self.layers.members().map_or(self.switch.span, |members| members.span),
                format!("the stack {} has no members", self.switch.value),
                "expected at least one member",
                "add its `members`, each with an `id`",
            );
        }
        for keys in members {
            let Some(id) = keys.value.id else { continue };
            let hardware =
                keys.value.hardware.as_ref().and_then(|name| kind_of(name, kinds, faults));
            let same_id_as = places.iter().position(|place| place.id.value == id.value);
            let before = specs.len();
            let mut stack_specs = 0;
            if same_id_as.is_none() {
                let of_kind = hardware.and_then(|kind| kinds.ports_of(kind.value));
                let ports = of_kind.or(own).unwrap_or_default();
                let stack_ports = keys.value.stack_ports.as_ref().or(self.layers.stack_ports());
                let stack_ports = stack_ports.map_or(&[][..], |ports| &ports.value.0);
                stack_specs = stack_ports.len();
                specs.extend(ports.iter().chain(stack_ports).map(|spec| {
                    At::new(SmolStr::new(format!("{}/{}", id.get(), spec.value)), spec.span)
                }));
            }
            let specs = specs.len() - before;
            places.push(Place { id, keys: &keys.value, same_id_as, hardware, specs, stack_specs });
        }
        (places, specs)
    }

    /// Puts the stack into the fabric, once its switch and all ports are made.
    pub(super) fn add(
        &self,
        places: &[Place<'_>],
        device: crate::fabric::DeviceId,
        specs: &[At<SmolStr>],
        fabric: &mut Arenas,
    ) {
        let name = fabric.devices[device].name.value.clone();
        let ports = fabric.devices[device].ports;
        let spec_of: Vec<usize> = {
            let layout = &fabric.layouts[fabric.devices[device].layout];
            layout.ports.iter().map(|port| port.spec as usize).collect()
        };
        let (mut members, mut spec) = (Vec::new(), 0);
        for place in places {
            let range = |from: usize, to: usize| {
                let start = spec_of.partition_point(|&of| of < from);
                let end = spec_of.partition_point(|&of| of < to);
                let first = ports.get(0).map_or(0, Id::index);
                let (start, end) = (start.min(ports.len()), end.min(ports.len()));
                IdRange::new(PortId::from_index(first + start), PortId::from_index(first + end))
            };
            let end = spec + place.specs;
            let keys = place.keys;
            let device = &fabric.devices[device];
            members.push(StackMember {
                id: place.id,
                priority: keys.priority,
                mac: keys.mac.map_or_else(
                    || MacAddr::allotted(4, hash(&format!("{name}/{}", place.id.get()))),
                    |mac| mac.value,
                ),
                hardware: place.hardware.or(device.hardware),
                software: keys.software.clone().or_else(|| device.software.clone()),
                stack_id: keys.stack_id.or(self.layers.stack_id().copied()),
                absent: keys.absent.filter(|absent| absent.value).map(|absent| absent.span),
                position: keys.position.clone(),
                ports: range(spec, end),
                stack_ports: range(end - place.stack_specs, end).iter().collect(),
                same_id_as: place.same_id_as,
            });
            spec = end;
        }
        debug_assert_eq!(spec, specs.len());
        let none = At::new(SplitDetection::None, self.switch.span);
        let stack = fabric.stacks.push(Stack {
            switch: At::new(device, self.switch.span),
            stack_id: self.layers.stack_id().copied(),
            split_detection: self.layers.split_detection().copied().unwrap_or(none),
            members,
        });
        fabric.devices[device].stack = Some(stack);
    }

    /// A stack whose switch nobody made.
    pub(super) fn without_switch(&self, fabric: &Arenas, faults: &mut Faults) {
        let switches = fabric.devices.values().filter(|device| device.kind == DeviceKind::Switch);
        let remedy = match faults.nearest(&self.switch.value, switches.map(|s| s.name.as_str())) {
            Some(nearest) => format!("did you mean {nearest}?"),
            None => "add a [[switch]] of that name: the stack is one switch".to_owned(),
        };
        faults.add(
            FaultKind::UnknownName,
            self.switch.span,
            format!("the stack {} makes no switch that is written", self.switch.value),
            format!("expected the name of a {}", crate::source::SwitchKeys::TABLE),
            remedy,
        );
    }
}

/// What to say of a port whose name begins with a member that a stack does not have.
pub(super) fn missing_member(
    fabric: &Arenas,
    device: &crate::fabric::Device,
    name: &At<SmolStr>,
    faults: &mut Faults,
) -> bool {
    let Some(stack) = device.stack.map(|stack| &fabric.stacks[stack]) else { return false };
    let Some((member, _)) = name.value.split_once('/') else { return false };
    let Ok(number) = member.parse::<u32>() else { return false };
    if stack.members.iter().any(|known| known.id.get() == number) {
        return false;
    }
    // Every port of it is missed with it.
    if !faults.misses(format!("member {number} of {}", device.name.value)) {
        return true;
    }
    let known: Vec<_> = stack.members.iter().map(|known| known.id.get().to_string()).collect();
    faults
        .add(
            FaultKind::StackMembers,
            inner(name.span, &name.value, 0..member.len()),
            format!("{} has no port {}: the stack has no member {number}", device.name.value, name.value),
            format!("its members are {}", known.join(", ")),
            "name a port of a member, or add the member (with `absent = true` if nothing stands there yet)",
        )
        .related(stack.switch.span, "the stack is written here");
    true
}
