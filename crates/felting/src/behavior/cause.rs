use rustc_hash::FxHashMap;

use crate::fabric::{
    CableId, DeviceId, EthernetSegmentId, GroupId, InterfaceId, LagId, PairId, PortId, PresenceId,
    SessionId, StackId,
};
use crate::id::{IdVec, typed_id};
use crate::value::VlanId;

typed_id! {
    /// A cause of something that went wrong.
    pub CauseId, "cause"
}

/// What a cause is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Entity {
    /// A switch or host.
    Device(DeviceId),
    /// A port.
    Port(PortId),
    /// A cable.
    Cable(CableId),
    /// One end of a LAG.
    Lag(LagId),
    /// A multi-chassis LAG.
    Group(GroupId),
    /// A pair.
    Pair(PairId),
    /// A stack.
    Stack(StackId),
    /// An Ethernet segment.
    EthernetSegment(EthernetSegmentId),
    /// A segment on one switch.
    Presence(PresenceId),
    /// A routed interface.
    Interface(InterfaceId),
    /// One end of a BGP session.
    Session(SessionId),
}

/// Which side of an entity a cause is about. A rule about settings leaves alone what a cause has
/// claimed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Aspect {
    /// Whether there is a link.
    Link,
    /// Of which LAG a port is a member.
    Membership,
    /// Whom a LAG has for a partner.
    Partner,
    /// The protocol it speaks.
    Protocol,
    /// Whether it starts to speak.
    Mode,
    /// The speed of its members.
    Speed,
    /// Whether its members have one rate.
    Rate,
    /// The tagged VLANs as a whole.
    Vlans,
    /// One VLAN.
    Vlan(VlanId),
    /// The VLAN of untagged frames.
    Untagged,
    /// The MTU.
    Mtu,
    /// The minimum of members.
    MinMembers,
    /// Whether the device can do it at all, and with how many members.
    Ability,
    /// Whether frames are bridged or routed.
    Layer,
    /// The LACP system that is presented.
    System,
    /// The LACP key.
    Key,
    /// The partition of a switch.
    Partition,
    /// How many leaves of an Ethernet segment forward.
    SegmentMode,
    /// What the spanning tree makes of it.
    Tree,
    /// The domain of a pair.
    Domain,
    /// The MAC address of a switch.
    Mac,
    /// The VNI of a segment.
    Vni,
    /// Who is at the other end, and whether the two talk.
    Neighbor,
}

/// Why something went wrong: the rule that reports it, and what it is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Cause {
    /// The id of the rule that reports it.
    pub rule: &'static str,
    /// What it is about.
    pub entity: Entity,
    /// Which side of it.
    pub aspect: Aspect,
    /// The other side of the contradiction, where there is one.
    pub other: Option<Entity>,
}

/// All causes, in the order of precedence in which they were found. The first to claim an entity
/// and aspect keeps it: that is how a root hides what follows from it.
#[derive(Clone, Debug, Default)]
pub struct Causes {
    list: IdVec<CauseId, Cause>,
    claims: FxHashMap<(Entity, Aspect), CauseId>,
}

impl Causes {
    /// Adds a cause and claims its entity and aspect, or tells the cause that has done so before.
    pub(crate) fn add(
        &mut self,
        rule: &'static str,
        entity: Entity,
        aspect: Aspect,
        other: Option<Entity>,
    ) -> CauseId {
        if let Some(&claimed) = self.claims.get(&(entity, aspect)) {
            return claimed;
        }
        let id = self.list.push(Cause { rule, entity, aspect, other });
        self.claims.insert((entity, aspect), id);
        id
    }

    /// Claims a further entity and aspect for a cause, unless another has them.
    pub(crate) fn claim(&mut self, cause: CauseId, entity: Entity, aspect: Aspect) {
        self.claims.entry((entity, aspect)).or_insert(cause);
    }

    /// The cause that has claimed an entity and aspect.
    pub fn claimed(&self, entity: Entity, aspect: Aspect) -> Option<CauseId> {
        if self.claims.is_empty() { None } else { self.claims.get(&(entity, aspect)).copied() }
    }

    /// One cause.
    pub fn get(&self, cause: CauseId) -> &Cause {
        &self.list[cause]
    }

    /// All causes.
    pub fn iter(&self) -> impl Iterator<Item = (CauseId, &Cause)> {
        self.list.iter()
    }

    /// The causes that a rule reports.
    pub fn of<'a>(&'a self, rule: &'a str) -> impl Iterator<Item = &'a Cause> {
        self.list.values().filter(move |cause| cause.rule == rule)
    }
}
