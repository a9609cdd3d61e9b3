//! Who is joined with whom in a VLAN: where frames come to by cables from a switch, as the spanning trees let
//! them.

use std::collections::VecDeque;

use rustc_hash::FxHashSet;
use smallvec::SmallVec;

use super::carrier::{Carriers, Node};
use crate::fabric::{DeviceId, PortId, PresenceId, SegmentId};
use crate::value::VlanId;

/// A switch that frames come to.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Reached {
    /// The switch.
    pub(crate) node: Node,
    /// The VLAN that the frames are in there.
    pub(crate) vlan: VlanId,
    /// The port by which they left the first switch; none on that itself.
    pub(crate) first: Option<PortId>,
    /// Over how many links they came.
    pub(crate) links: usize,
}

/// Whether frames are followed on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Onward {
    /// From here too.
    Further,
    /// Not from here.
    Not,
    /// No more at all.
    Enough,
}

pub(crate) type Presences = SmallVec<[PresenceId; 2]>;

impl Carriers<'_> {
    /// Visits the switches that frames of a VLAN come to from one, itself first, the nearest before the
    /// farther.
    pub(crate) fn spread(
        &self,
        start: Node,
        vlan: VlanId,
        mut visit: impl FnMut(Reached) -> Onward,
    ) {
        let mut seen: FxHashSet<(Node, VlanId)> = FxHashSet::from_iter([(start, vlan)]);
        let first = Reached { node: start, vlan, first: None, links: 0 };
        let mut queue: VecDeque<(Reached, Option<PortId>)> = VecDeque::from([(first, None)]);
        while let Some((at, entered)) = queue.pop_front() {
            match visit(at) {
                Onward::Further => {}
                Onward::Not => continue,
                Onward::Enough => return,
            }
            for port in self.ports(at.node) {
                // What came by a LAG does not leave by it again (IEEE 802.1Q clause 8.6.1).
                if entered.is_some_and(|entered| self.is_one_with(port, entered)) {
                    continue;
                }
                let Some((far, vlan)) = self.crosses(port, at.vlan) else { continue };
                let node = self.node(far);
                if seen.insert((node, vlan)) {
                    let first = at.first.or(Some(port));
                    queue
                        .push_back((Reached { node, vlan, first, links: at.links + 1 }, Some(far)));
                }
            }
        }
    }

    /// Whether two ports are one to the bridge: the same, or of one LAG that both distribute.
    pub(crate) fn is_one_with(&self, port: PortId, other: PortId) -> bool {
        if port == other {
            return true;
        }
        let lag = |port: PortId| {
            let member = self.fabric.member_of(port)?;
            self.members[member].distributing.then(|| self.fabric.member(member).lag)
        };
        lag(port).is_some() && lag(port) == lag(other)
    }

    /// The presences that frames of a VLAN come to from a switch: its own, else those of the VTEPs behind
    /// other switches without one.
    pub(crate) fn doors(&self, start: Node, vlan: VlanId) -> Presences {
        let mut found = Presences::new();
        self.spread(start, vlan, |at| {
            let own = self.fabric.presences_on(at.node.device).iter().copied().find(|&id| {
                let presence = self.fabric.presence(id);
                presence.vni.is_some() && presence.vlan.is_some_and(|own| own.value == at.vlan)
            });
            found.extend(own);
            match own.is_none() && self.fabric.overlay_of(at.node.device).is_none() {
                true => Onward::Further,
                false => Onward::Not,
            }
        });
        found.sort_unstable();
        found.dedup();
        found
    }

    /// The segments that frames of a VLAN are in at a switch, or at the nearest that they come to by cables.
    pub(crate) fn segments(&self, start: Node, vlan: VlanId, found: &mut SmallVec<[SegmentId; 1]>) {
        let mut met = false;
        self.spread(start, vlan, |at| {
            let presences = self.fabric.presences_on(at.node.device).iter();
            for presence in presences.map(|&id| self.fabric.presence(id)) {
                if presence.vlan.is_some_and(|own| own.value == at.vlan) {
                    met = true;
                    if !found.contains(&presence.segment) {
                        found.push(presence.segment);
                    }
                }
            }
            match !met && self.fabric.overlay_of(at.node.device).is_none() {
                true => Onward::Further,
                false => Onward::Not,
            }
        });
    }

    /// Whether frames of a VLAN at one switch come to another by cables alone.
    pub(crate) fn joins(&self, from: DeviceId, to: DeviceId, vlan: VlanId) -> bool {
        let mut met = false;
        self.spread(Node { device: from, part: 0 }, vlan, |at| {
            met |= at.node.device == to;
            if met { Onward::Enough } else { Onward::Further }
        });
        met
    }
}
