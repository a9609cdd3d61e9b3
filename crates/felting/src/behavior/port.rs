//! Which ports have a link.

use super::Condition;
use super::cause::{Aspect, Causes, Entity};
use crate::fabric::{Fabric, PortId};
use crate::id::IdVec;

/// The far port of every port whose link is up.
pub(super) fn links(
    fabric: &Fabric,
    condition: &Condition,
    causes: &mut Causes,
) -> IdVec<PortId, Option<PortId>> {
    for &(port, first, further) in &fabric.replugged {
        let (entity, other) = (Entity::Cable(further), Some(Entity::Cable(first)));
        let cause = causes.add("cable-port-reused", entity, Aspect::Link, other);
        causes.claim(cause, Entity::Port(port), Aspect::Link);
        for end in &fabric.cable(further).ends {
            causes.claim(cause, Entity::Port(end.value), Aspect::Link);
        }
    }
    for (_, member) in fabric.members() {
        if let Some(first) = member.taken_by {
            let port = Entity::Port(member.port.value);
            let owner = Entity::Lag(fabric.member(first).lag);
            let cause = causes.add("lag-member-shared", port, Aspect::Membership, Some(owner));
            causes.claim(cause, Entity::Lag(member.lag), Aspect::Membership);
            causes.claim(cause, owner, Aspect::Membership);
        }
    }
    let mut far = IdVec::filled(&fabric.ports, None);
    for port in fabric.ports.ids() {
        far[port] = link(fabric, condition, port, causes);
    }
    far
}

fn link(
    fabric: &Fabric,
    condition: &Condition,
    port: PortId,
    causes: &mut Causes,
) -> Option<PortId> {
    let (cable, far) = fabric.link(port)?;
    // A cable in a port that another cable holds carries nothing.
    if fabric.link(far).is_none_or(|(back, _)| back != cable) || far == port {
        return None;
    }
    if condition.holds_down(fabric, port, cable) || condition.holds_down(fabric, far, cable) {
        return None;
    }
    let (a, b) = (fabric.port(port), fabric.port(far));
    // IEEE 802.3 clause 28 and 73: both ends of a link run one rate, in one duplex mode, over the
    // same lanes.
    if (a.speed, a.duplex, a.lanes) != (b.speed, b.duplex, b.lanes) {
        causes.add("cable-speed-clash", Entity::Cable(cable), Aspect::Speed, None);
        return None;
    }
    Some(far)
}
