//! What the members of a stack make of their links: one switch, or parts of it.
//!
//! There is no standard for stacks. What is modelled is what several makers' have in common: members
//! that are set to be of one stack and reach each other over stack links are one part, the best
//! priority makes the lead (the higher is the better, then the lower MAC address), and split
//! detection keeps the part that holds the lead of the whole.

use std::cmp::Reverse;

use crate::fabric::{Condition, DeviceId, Fabric, PortId, Stack, StackId, StackMember};
use crate::id::{IdVec, Pages};
use crate::value::{MacAddr, SplitDetection};

/// How the links of a stack hang together.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum StackShape {
    /// One member only.
    Single,
    /// Every member reaches every other by two ways.
    Ring,
    /// The loss of one link splits it.
    Chain,
    /// Split already.
    Split,
    /// It is off.
    Off,
    /// Nothing is written about its links, so they are taken to be whole.
    Unsaid,
}

/// Why a member is the lead of its part.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum LeadReason {
    /// It is alone.
    Alone,
    /// It has the highest priority.
    Priority,
    /// It has the lowest MAC address of those with the highest priority.
    Address,
}

/// Members that reach each other.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct StackPart {
    /// Their places in the stack's list.
    pub members: Vec<usize>,
    /// The lead's place.
    pub lead: usize,
    /// Why it is the lead.
    pub why: LeadReason,
    /// Whether the part closes all its ports, because another goes on as the stack.
    pub closed: bool,
}

/// What became of a stack.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct StackOutcome {
    /// How its links hang together.
    pub shape: StackShape,
    /// Its parts, that with the best lead first; one unless it is split.
    pub parts: Vec<StackPart>,
}

impl StackOutcome {
    /// Whether several parts go on as the stack, each with its addresses.
    pub fn is_doubled(&self) -> bool {
        self.parts.iter().filter(|part| !part.closed).count() > 1
    }

    /// The place of the part that a member is in; none if it is off or not there.
    pub(crate) fn part_at(&self, member: usize) -> Option<usize> {
        self.parts.iter().position(|part| part.members.contains(&member))
    }

    /// The part that a member is in; none if it is off or not there.
    pub fn part_of(&self, member: usize) -> Option<&StackPart> {
        self.parts.iter().find(|part| part.members.contains(&member))
    }
}

/// What became of every stack.
pub(super) type Stacks = IdVec<StackId, StackOutcome>;

/// The part of its switch that a port is on: the first, unless the switch is a stack that has split.
pub(crate) fn part_of(fabric: &Fabric, stacks: &Stacks, port: PortId) -> usize {
    if stacks.is_empty() {
        return 0;
    }
    let Some(stack) = fabric.device(fabric.port(port).device).stack else { return 0 };
    // Most stacks are whole, and whose port it is need not be looked for.
    if stacks[stack].parts.len() < 2 {
        return 0;
    }
    let place = fabric.stack(stack).members.iter().position(|member| member.ports.contains(port));
    place.and_then(|place| stacks[stack].part_at(place)).unwrap_or(0)
}

/// The MAC address by which a part of a switch is itself to LAGs and trees: that of the switch, and for the further
/// parts of a split stack that of their lead, as no two bridges have one address (IEEE 802.1Q clause 8.13.8).
pub(super) fn mac_of_part(
    fabric: &Fabric,
    stacks: &Stacks,
    device: DeviceId,
    part: usize,
) -> MacAddr {
    let device = fabric.device(device);
    let of_master = device.stack.filter(|_| part > 0).and_then(|stack| {
        let lead = stacks[stack].parts.get(part)?.lead;
        Some(fabric.stack(stack).members.get(lead)?.mac)
    });
    of_master.unwrap_or(device.mac.value)
}

/// The members that are there, by place.
pub(crate) fn present(stack: &Stack) -> impl Iterator<Item = (usize, &StackMember)> {
    let there = |member: &StackMember| member.absent.is_none() && member.same_id_as.is_none();
    stack.members.iter().enumerate().filter(move |(_, member)| there(member))
}

/// The member of the same stack at the other end of each stack port that is linked to one.
pub(crate) fn neighbours(
    fabric: &Fabric,
    far: impl Fn(PortId) -> Option<PortId>,
    stack: &Stack,
) -> Vec<(usize, usize)> {
    let owner =
        |port: PortId| stack.members.iter().position(|member| member.stack_ports.contains(&port));
    let mut links = Vec::new();
    for (place, member) in present(stack) {
        for &port in &member.stack_ports {
            let Some(end) = far(port).filter(|&end| end > port) else { continue };
            if fabric.port(end).device != stack.switch.value {
                continue;
            }
            links.extend(owner(end).filter(|&other| other != place).map(|other| (place, other)));
        }
    }
    links
}

pub(super) fn outcomes(
    fabric: &Fabric,
    condition: &Condition,
    far: &Pages<PortId, Option<PortId>>,
) -> IdVec<StackId, StackOutcome> {
    let outcome = |(id, stack): (StackId, &Stack)| {
        if condition.devices.contains(&stack.switch.value) {
            return StackOutcome { shape: StackShape::Off, parts: Vec::new() };
        }
        let up: Vec<usize> = present(stack)
            .map(|(place, _)| place)
            .filter(|&place| !condition.stack_members.contains(&(id, place)))
            .collect();
        let links = neighbours(fabric, |port| far[port], stack);
        outcome(stack, &up, &links)
    };
    IdVec::of(fabric.stacks().map(outcome).collect::<Vec<_>>())
}

fn outcome(stack: &Stack, up: &[usize], links: &[(usize, usize)]) -> StackOutcome {
    let said = stack.members.iter().any(|member| !member.stack_ports.is_empty());
    let set_to = |place: usize| stack.members[place].stack_id.map(|id| id.value);
    let joined = |a: usize, b: usize| !said || set_to(a) == set_to(b);
    let reach = |without: Option<usize>| {
        let mut parts: Vec<Vec<usize>> = Vec::new();
        let mut open: Vec<usize> = up.to_vec();
        while let Some(&first) = open.first() {
            let (mut part, mut next) = (vec![first], vec![first]);
            open.retain(|&member| member != first);
            while let Some(member) = next.pop() {
                let found: Vec<usize> = open
                    .iter()
                    .copied()
                    .filter(|&other| {
                        joined(member, other)
                            && (!said
                                || links.iter().enumerate().any(|(index, &(a, b))| {
                                    Some(index) != without
                                        && ((a, b) == (member, other) || (b, a) == (member, other))
                                }))
                    })
                    .collect();
                open.retain(|other| !found.contains(other));
                part.extend(&found);
                next.extend(&found);
            }
            part.sort_unstable();
            parts.push(part);
        }
        parts
    };
    let parts = reach(None);
    let shape = match (parts.len(), said) {
        (_, false) => StackShape::Unsaid,
        (0 | 1, true) if up.len() < 2 => StackShape::Single,
        (1, true) if (0..links.len()).all(|link| reach(Some(link)).len() == 1) => StackShape::Ring,
        (1, true) => StackShape::Chain,
        _ => StackShape::Split,
    };
    let rank = |place: usize| {
        let member = &stack.members[place];
        (Reverse(member.priority.map(|priority| priority.value)), member.mac)
    };
    let mut parts: Vec<StackPart> = parts
        .into_iter()
        .filter_map(|members| {
            let lead = members.iter().copied().min_by_key(|&place| rank(place))?;
            let priority =
                |place: usize| stack.members[place].priority.map(|written| written.value);
            let best = priority(lead);
            let tied = members.iter().filter(|&&place| priority(place) == best).count() > 1;
            let why = match (members.len(), tied) {
                (1, _) => LeadReason::Alone,
                (_, true) => LeadReason::Address,
                (_, false) => LeadReason::Priority,
            };
            Some(StackPart { members, lead, why, closed: false })
        })
        .collect();
    parts.sort_by_key(|part| rank(part.lead));
    if stack.split_detection.value != SplitDetection::None {
        for part in parts.iter_mut().skip(1) {
            part.closed = true;
        }
    }
    StackOutcome { shape, parts }
}

/// The ports that closed parts and missing members leave without an end.
pub(super) fn closed(fabric: &Fabric, outcomes: &IdVec<StackId, StackOutcome>) -> Vec<PortId> {
    let mut ports = Vec::new();
    for (id, stack) in fabric.stacks() {
        for (place, member) in stack.members.iter().enumerate() {
            if outcomes[id].part_of(place).is_some_and(|part| !part.closed) {
                continue;
            }
            // A part that closed its ports still listens on its stack links.
            let on = outcomes[id].part_of(place).is_some();
            let own = member.ports.iter();
            ports.extend(own.filter(|port| !(on && member.stack_ports.contains(port))));
        }
    }
    ports
}
