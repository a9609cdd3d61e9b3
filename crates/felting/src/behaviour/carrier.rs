//! What ports let through: which VLANs a port carries, with which tags, and whether frames pass it.
//!
//! Everything that asks whether a frame gets into or out of a switch asks here: where endpoints are attached,
//! who is joined with whom ([`domain`](super::domain)), and the walk.

use rustc_hash::FxHashSet;

use super::lag::{MemberOutcome, MemberState};
use super::stack::{self, StackOutcome};
use super::tree::Trees;
use crate::fabric::{DeviceId, DeviceKind, Fabric, LagId, MemberId, PortId, StackId};
use crate::id::{IdVec, Pages};
use crate::value::{VlanId, VlanSet};

/// A switch, or one part of a stack that has split: what bridges by itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) struct Node {
    /// The switch.
    pub(crate) device: DeviceId,
    /// Which part of it; 0 of what is whole.
    pub(crate) part: usize,
}

/// Why frames of a VLAN don't pass a port.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Held {
    /// It is a member of a LAG that does not use it.
    Unused,
    /// The spanning tree holds them back.
    Discarding,
    /// Another leaf of the single-active Ethernet segment forwards.
    Closed,
}

/// The legs of single-active Ethernet segments, each with the VLANs in which it is not the forwarder: there
/// it passes nothing in either direction (RFC 7432 section 8.5).
#[derive(Clone, Debug, Default)]
pub(crate) struct Closed(pub(super) FxHashSet<(LagId, VlanId)>);

impl Closed {
    /// Whether a port passes nothing of a VLAN.
    pub(crate) fn is(&self, fabric: &Fabric, port: PortId, vlan: VlanId) -> bool {
        !self.0.is_empty() && fabric.lag_of(port).is_some_and(|leg| self.0.contains(&(leg, vlan)))
    }
}

/// What the layers below say of ports.
#[derive(Clone, Copy)]
pub(crate) struct Carriers<'a> {
    pub(crate) fabric: &'a Fabric,
    pub(crate) far: &'a Pages<PortId, Option<PortId>>,
    pub(crate) members: &'a Pages<MemberId, MemberOutcome>,
    pub(crate) stacks: &'a IdVec<StackId, StackOutcome>,
    pub(crate) trees: &'a Trees,
    pub(crate) closed: &'a Closed,
}

/// Whether a switch has a VLAN. One that segments are on, or that is a VTEP, has those of its segments, and those that it
/// routes for; what else comes in by a port is dropped (IEEE 802.1Q clause 8.6.2). Any other bridges whatever its ports
/// carry.
pub(crate) fn has_vlan(fabric: &Fabric, switch: DeviceId, vlan: VlanId) -> bool {
    fabric.vlans_of[switch].as_ref().is_none_or(|own| own.contains(vlan))
}

/// The VLANs that a switch's port carries: those with a tag, and the one without.
pub(crate) fn carried(fabric: &Fabric, port: PortId) -> Option<(&VlanSet, Option<VlanId>)> {
    let (tagged, untagged) = match fabric.lag_of(port) {
        Some(lag) => {
            let lag = fabric.lag(lag);
            (&lag.tagged, lag.untagged)
        }
        None => {
            let settings = fabric.settings_of(port)?;
            (&settings.tagged, settings.untagged)
        }
    };
    Some((&tagged.value, untagged.map(|vlan| vlan.value)))
}

/// The VLAN that a frame comes to be in at a switch's port, untagged or with a tag. A port is a member of its
/// untagged VLAN, so it takes frames tagged with that too (IEEE 802.1Q clauses 6.9.1 and 8.6.2).
pub(crate) fn enters(fabric: &Fabric, port: PortId, tag: Option<VlanId>) -> Option<VlanId> {
    if fabric.device(fabric.port(port).device).kind == DeviceKind::Host {
        return None;
    }
    let vlan = classified(fabric, port, tag)?;
    has_vlan(fabric, fabric.port(port).device, vlan).then_some(vlan)
}

/// The VLAN that a port puts a frame into, whether its switch has that or not.
pub(crate) fn classified(fabric: &Fabric, port: PortId, tag: Option<VlanId>) -> Option<VlanId> {
    let (tagged, untagged) = carried(fabric, port)?;
    match tag {
        Some(tag) => (tagged.contains(tag) || untagged == Some(tag)).then_some(tag),
        None => untagged,
    }
}

/// With which tag a frame of a VLAN leaves by a port; none if it doesn't.
#[allow(clippy::option_option, reason = "untagged is not the same as not at all")]
pub(crate) fn leaves(fabric: &Fabric, port: PortId, vlan: VlanId) -> Option<Option<VlanId>> {
    let (tagged, untagged) = carried(fabric, port)?;
    if !has_vlan(fabric, fabric.port(port).device, vlan) {
        return None;
    }
    if tagged.contains(vlan) {
        return Some(Some(vlan));
    }
    (untagged == Some(vlan)).then_some(None)
}

/// Whether frames pass a port: as a member of a LAG it distributes, or works for itself (IEEE 802.1AX clause
/// 6.4.12).
pub(crate) fn is_in_use(
    fabric: &Fabric,
    members: &Pages<MemberId, MemberOutcome>,
    port: PortId,
) -> bool {
    fabric.member_of(port).is_none_or(|member| {
        let member = &members[member];
        member.distributing || member.state == MemberState::Individual
    })
}

impl Carriers<'_> {
    /// The part of its switch that a port is on.
    pub(crate) fn node(&self, port: PortId) -> Node {
        let device = self.fabric.port(port).device;
        Node { device, part: self.part_of(port) }
    }

    fn part_of(&self, port: PortId) -> usize {
        stack::part_of(self.fabric, self.stacks, port)
    }

    /// The ports by which a switch, or a part of it, bridges.
    pub(crate) fn ports(&self, node: Node) -> impl Iterator<Item = PortId> + '_ {
        let all = self.fabric.device(node.device).ports.iter();
        all.filter(move |&port| self.far[port].is_some() && self.part_of(port) == node.part)
    }

    /// What holds frames of a VLAN back at a port that carries it, if anything does.
    pub(crate) fn held(&self, port: PortId, vlan: VlanId) -> Option<Held> {
        if !is_in_use(self.fabric, self.members, port) {
            return Some(Held::Unused);
        }
        if self.trees.role_at(port, vlan).is_some_and(|role| !role.forwards()) {
            return Some(Held::Discarding);
        }
        self.closed.is(self.fabric, port, vlan).then_some(Held::Closed)
    }

    /// The tag with which frames of a VLAN go out by a port, if they do.
    #[allow(clippy::option_option, reason = "untagged is not the same as not at all")]
    pub(crate) fn goes_out(&self, port: PortId, vlan: VlanId) -> Option<Option<VlanId>> {
        leaves(self.fabric, port, vlan).filter(|_| self.held(port, vlan).is_none())
    }

    /// The VLAN that frames come to be in by a port, if they pass it.
    pub(crate) fn comes_in(&self, port: PortId, tag: Option<VlanId>) -> Option<VlanId> {
        enters(self.fabric, port, tag).filter(|&vlan| self.held(port, vlan).is_none())
    }

    /// The port that frames of a VLAN come to by one of a switch, and the VLAN that they are in there.
    pub(crate) fn crosses(&self, port: PortId, vlan: VlanId) -> Option<(PortId, VlanId)> {
        let far = self.far[port]?;
        let tag = self.goes_out(port, vlan)?;
        Some((far, self.comes_in(far, tag)?))
    }
}
