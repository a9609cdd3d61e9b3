use std::sync::Arc;

use rustc_hash::FxHashMap;

use crate::fabric::{
    CableId, DeviceId, EthernetSegmentId, GroupId, InterfaceId, LagId, PairId, PortId, PresenceId,
    SessionId, StackId,
};
use crate::id::{FromIndex, Id, typed_id};
use crate::value::VlanId;

typed_id! {
    /// A cause of something that went wrong.
    pub CauseId, "cause"
}

/// What a cause is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
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
#[non_exhaustive]
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
    /// What members do while nobody answers.
    Unanswered,
    /// Whether it takes part in the spanning tree.
    TreePort,
    /// Whether it is an edge port.
    EdgePort,
    /// Its path cost in the spanning tree.
    TreeCost,
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
    EthernetSegmentMode,
    /// What the spanning tree makes of it.
    Tree,
    /// The domain of a pair.
    Domain,
    /// The MAC address of a switch.
    Mac,
    /// The VNI of a segment.
    Vni,
    /// Who is at the other end, and whether the two talk.
    Neighbour,
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

/// The causes of one step of the behaviour, which states that have the step in common share.
#[derive(Clone, Debug, Default)]
struct Step {
    list: Vec<Cause>,
    claims: FxHashMap<(Entity, Aspect), CauseId>,
}

/// A set of steps' causes: what one step found, for another state to take over.
#[derive(Clone, Debug)]
pub(crate) struct Found(Arc<Step>);

/// All causes, in the order of precedence in which they were found. The first to claim an entity
/// and aspect keeps it: that is how a root hides what follows from it.
#[derive(Clone, Debug, Default)]
pub struct Causes {
    steps: Vec<Arc<Step>>,
}

/// How many causes a step can have: ids count on from step to step.
const MOST_OF_STEP: usize = 1 << 28;

impl Found {
    /// Whether that is nothing.
    pub(crate) fn is_empty(&self) -> bool {
        self.0.list.is_empty() && self.0.claims.is_empty()
    }
}

impl Causes {
    /// Whether some cause has to do with one of some entities, in some respect.
    pub(crate) fn any_about(&self, is_one: impl Fn(Entity, Aspect) -> bool) -> bool {
        let about = |step: &Arc<Step>| {
            // In whatever order, it is yes or no.
            #[allow(clippy::iter_over_hash_type, reason = "no order comes out")]
            let claimed = step.claims.keys().any(|&(entity, aspect)| is_one(entity, aspect));
            let other = |cause: &Cause| cause.other.is_some_and(|one| is_one(one, cause.aspect));
            claimed || step.list.iter().any(other)
        };
        self.steps.iter().any(about)
    }

    /// Begins the next step.
    pub(crate) fn begin(&mut self) {
        self.steps.push(Arc::default());
    }

    /// What the last step found.
    pub(crate) fn found(&self) -> Found {
        Found(self.steps.last().cloned().unwrap_or_default())
    }

    /// Takes over what a step found in another state.
    pub(crate) fn take_over(&mut self, found: Found) {
        self.steps.push(found.0);
    }

    /// The causes of the first steps.
    pub(crate) fn up_to(&self, steps: usize) -> Self {
        Self { steps: self.steps[..steps].to_vec() }
    }

    /// Adds a cause and claims its entity and aspect, or tells the cause that has done so before.
    pub(crate) fn add(
        &mut self,
        rule: &'static str,
        entity: Entity,
        aspect: Aspect,
        other: Option<Entity>,
    ) -> CauseId {
        if let Some(claimed) = self.claimed(entity, aspect) {
            return claimed;
        }
        if self.steps.is_empty() {
            self.begin();
        }
        let first = (self.steps.len() - 1) * MOST_OF_STEP;
        let step = Arc::make_mut(self.steps.last_mut().expect("begun just now"));
        let id = CauseId::from_index(first + step.list.len());
        step.list.push(Cause { rule, entity, aspect, other });
        step.claims.insert((entity, aspect), id);
        id
    }

    /// Claims a further entity and aspect for a cause, unless another has them.
    pub(crate) fn claim(&mut self, cause: CauseId, entity: Entity, aspect: Aspect) {
        if self.claimed(entity, aspect).is_none()
            && let Some(step) = self.steps.last_mut()
        {
            Arc::make_mut(step).claims.insert((entity, aspect), cause);
        }
    }

    /// The cause that has claimed an entity and aspect.
    pub fn claimed(&self, entity: Entity, aspect: Aspect) -> Option<CauseId> {
        let mut claims =
            self.steps.iter().map(|step| &step.claims).filter(|claims| !claims.is_empty());
        claims.find_map(|claims| claims.get(&(entity, aspect)).copied())
    }

    /// One cause.
    pub fn get(&self, cause: CauseId) -> &Cause {
        &self.steps[cause.index() / MOST_OF_STEP].list[cause.index() % MOST_OF_STEP]
    }

    /// All causes.
    pub fn iter(&self) -> impl Iterator<Item = (CauseId, &Cause)> {
        self.steps.iter().enumerate().flat_map(|(step, found)| {
            let id = move |place: usize| CauseId::from_index(step * MOST_OF_STEP + place);
            found.list.iter().enumerate().map(move |(place, cause)| (id(place), cause))
        })
    }

    /// The causes that a rule reports.
    pub fn of<'a>(&'a self, rule: &'a str) -> impl Iterator<Item = &'a Cause> {
        let all = self.steps.iter().flat_map(|step| &step.list);
        all.filter(move |cause| cause.rule == rule)
    }
}
