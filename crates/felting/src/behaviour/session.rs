//! Which BGP sessions are up, and why others are not.

use std::collections::BTreeSet;

use super::cause::{Aspect, CauseId, Causes, Entity};
use super::underlay::{Adjacency, AdjacencyId};
use crate::diagnostic::At;
use crate::fabric::{DeviceId, Fabric, InterfaceId, RouterId, Session, SessionId};
use crate::id::{IdVec, Pages};
use crate::value::{Family, SessionOver};

/// What became of one end of a session.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct SessionOutcome {
    /// The end at the other switch that answers.
    pub twin: Option<SessionId>,
    /// Why the session is down, if it is.
    pub fault: Option<SessionFault>,
    /// Whether only one end can open the session: the other sends from an address that is not expected.
    pub half: bool,
    /// The cause of the fault, if it is one of configuration.
    pub cause: Option<CauseId>,
    /// The families that both ends activate, one bit each.
    pub(super) families: u8,
}

impl SessionOutcome {
    /// Whether the session is up.
    pub fn is_up(&self) -> bool {
        self.fault.is_none()
    }

    /// Whether routes of a family go over the session (RFC 4760 section 8).
    pub fn carries(&self, family: Family) -> bool {
        self.is_up() && self.families & bit(family) != 0
    }
}

/// Why a session is down.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum SessionFault {
    /// The link that it is over is down, or carries no packets.
    LinkDown,
    /// The other switch has no such end.
    OneSided,
    /// An end has no AS number.
    NoAsNumber,
    /// An end has no address to be from.
    NoAddress,
    /// An end expects another AS number than the other has (RFC 4271 section 6.2).
    AsClash,
    /// No end is reached at the address that it sends from.
    SourceClash,
    /// The keys differ.
    AuthenticationClash,
    /// The other end is not on a link of this one, and no multihop is set (RFC 4271 section 5.1.3).
    MultihopMissing,
    /// The other end is farther away than multihop allows.
    MultihopShort(u16),
    /// There is no route to the other end, or none back.
    Unreachable,
}

impl SessionFault {
    /// Why, in words.
    pub fn words(self) -> String {
        match self {
            Self::LinkDown => "the link is down".to_owned(),
            Self::OneSided => "the other end has no such session".to_owned(),
            Self::NoAsNumber => "an end has no AS number".to_owned(),
            Self::NoAddress => "an end has no address".to_owned(),
            Self::AsClash => "an end expects another AS number".to_owned(),
            Self::SourceClash => "each is at another address than the other expects".to_owned(),
            Self::AuthenticationClash => "the secrets differ".to_owned(),
            Self::MultihopMissing => "multihop is not set".to_owned(),
            Self::MultihopShort(u16::MAX) => "the peer is out of reach".to_owned(),
            Self::MultihopShort(hops) => format!("multihop allows fewer than {hops} hops"),
            Self::Unreachable => "no route to the peer, or none back".to_owned(),
        }
    }
}

pub(super) fn bit(family: Family) -> u8 {
    match family {
        Family::Ipv4 => 1,
        Family::Ipv6 => 2,
        Family::Evpn => 4,
    }
}

fn mask(session: &Session) -> u8 {
    session.families.iter().fold(0, |mask, family| mask | bit(family.value))
}

pub(super) type Outcomes = Pages<SessionId, SessionOutcome>;

/// Whether some session of a router carries a family.
pub(super) fn speaks(
    fabric: &Fabric,
    outcomes: &Outcomes,
    router: RouterId,
    family: Family,
) -> bool {
    fabric.router(router).sessions.iter().any(|session| outcomes[session].carries(family))
}

const DOWN: SessionOutcome = SessionOutcome {
    twin: None,
    fault: Some(SessionFault::LinkDown),
    half: false,
    cause: None,
    families: 0,
};

/// Judges the sessions over links: they need no route.
pub(super) fn over_links(
    fabric: &Fabric,
    adjacencies: &Pages<AdjacencyId, Adjacency>,
    of_interface: &IdVec<InterfaceId, Option<AdjacencyId>>,
    causes: &mut Causes,
) -> Outcomes {
    let over = |id: SessionId| match adjacency_of(fabric, of_interface, id) {
        Some(adjacency) => over_link(fabric, &adjacencies[adjacency], id, causes),
        None => DOWN,
    };
    Outcomes::of(fabric.sessions.ids().map(over))
}

/// The adjacency that a session over a link goes over, if anything is there.
fn adjacency_of(
    fabric: &Fabric,
    of_interface: &IdVec<InterfaceId, Option<AdjacencyId>>,
    id: SessionId,
) -> Option<AdjacencyId> {
    let session = fabric.session(id);
    session.interface.filter(|_| session.over == SessionOver::Links).and_then(|id| of_interface[id])
}

fn over_link(
    fabric: &Fabric,
    adjacency: &Adjacency,
    id: SessionId,
    causes: &mut Causes,
) -> SessionOutcome {
    match adjacency.carries_packets() {
        true => judge(fabric, id, fabric.twin(id), causes),
        false => DOWN,
    }
}

/// The same with those over some links judged anew, and whether any is another then. None if there may be causes in it.
pub(super) fn over_links_again(
    fabric: &Fabric,
    adjacencies: &Pages<AdjacencyId, Adjacency>,
    of_interface: &IdVec<InterfaceId, Option<AdjacencyId>>,
    changed: &BTreeSet<AdjacencyId>,
    outcomes: &mut Outcomes,
    causes: &Causes,
) -> Option<bool> {
    let ends = changed.iter().flat_map(|&id| [adjacencies[id].near, adjacencies[id].far]);
    let devices: BTreeSet<DeviceId> = ends.map(|end| fabric.interface(end).device).collect();
    let mut any = false;
    for router in devices.iter().filter_map(|&device| fabric.router_of(device)) {
        for id in router.sessions.iter() {
            let adjacency = adjacency_of(fabric, of_interface, id);
            let Some(adjacency) = adjacency.filter(|adjacency| changed.contains(adjacency)) else {
                continue;
            };
            let mut scratch = Causes::default();
            let now = over_link(fabric, &adjacencies[adjacency], id, &mut scratch);
            let claimed = causes.claimed(Entity::Session(id), Aspect::Neighbour);
            if claimed.is_some() || scratch.iter().next().is_some() {
                return None;
            }
            if outcomes[id] != now {
                outcomes[id] = now;
                any = true;
            }
        }
    }
    Some(any)
}

pub(super) fn claim(
    causes: &mut Causes,
    rule: &'static str,
    id: SessionId,
    twin: SessionId,
) -> CauseId {
    let (first, second) = if id < twin { (id, twin) } else { (twin, id) };
    let other = Some(Entity::Session(second));
    let cause = causes.add(rule, Entity::Session(first), Aspect::Neighbour, other);
    causes.claim(cause, Entity::Session(second), Aspect::Neighbour);
    cause
}

/// What the settings of both ends come to, before routes are asked for.
pub(super) fn judge(
    fabric: &Fabric,
    id: SessionId,
    twin: Option<SessionId>,
    causes: &mut Causes,
) -> SessionOutcome {
    let session = fabric.session(id);
    let Some(twin) = twin else {
        let entity = Entity::Session(id);
        let other = Some(Entity::Device(session.peer));
        let cause = causes.add("session-one-sided", entity, Aspect::Neighbour, other);
        let fault = Some(SessionFault::OneSided);
        return SessionOutcome { fault, cause: Some(cause), ..DOWN };
    };
    let other = fabric.session(twin);
    let families = mask(session) & mask(other);
    let mut found =
        SessionOutcome { twin: Some(twin), fault: None, half: false, cause: None, families };
    let asn =
        |session: &Session| fabric.router_of(session.device).and_then(|router| router.as_number);
    let refuses = |expecting: &Session, has: &Session| {
        expecting
            .peer_as
            .is_some_and(|expected| Some(expected.value) != asn(has).map(|own| own.value))
    };
    let opens = [opens(fabric, session, other), opens(fabric, other, session)];
    let key =
        |session: &Session| session.authentication.as_ref().map(|key: &At<_>| key.value.clone());
    let (fault, rule) = if asn(session).is_none() || asn(other).is_none() {
        (Some(SessionFault::NoAsNumber), "session-as-clash")
    } else if refuses(session, other) || refuses(other, session) {
        (Some(SessionFault::AsClash), "session-as-clash")
    } else if !unnumbered(fabric, session) && (session.source.is_none() || other.source.is_none()) {
        (Some(SessionFault::NoAddress), "underlay-loopback-missing")
    } else if opens == [false, false] {
        (Some(SessionFault::SourceClash), "session-source-clash")
    } else if key(session) != key(other) {
        (Some(SessionFault::AuthenticationClash), "underlay-authentication-clash")
    } else {
        (None, "")
    };
    found.fault = fault;
    found.half = fault.is_none() && opens != [true, true];
    // An address that a pool could not give is told as that.
    let without = fault == Some(SessionFault::NoAddress)
        && (fabric.went_without(session.device) || fabric.went_without(other.device));
    if fault.is_some() && !without {
        found.cause = Some(claim(causes, rule, id, twin));
    } else if fault.is_none()
        && (session.client.value || other.client.value)
        && asn(session).map(|a| a.value) != asn(other).map(|a| a.value)
    {
        claim(causes, "overlay-reflector-external", id, twin);
    } else if found.half {
        claim(causes, "session-source-clash", id, twin);
    } else if mask(session) != mask(other) {
        claim(causes, "session-family-one-sided", id, twin);
    }
    found
}

fn unnumbered(fabric: &Fabric, session: &Session) -> bool {
    session.interface.is_some_and(|interface| fabric.interface(interface).unnumbered.value)
}

/// Whether a connection that one end opens is accepted by the other: it is known there by the address
/// that it is from (RFC 4271 section 8.2.1), and goes to an address that is the other's.
fn opens(fabric: &Fabric, from: &Session, to: &Session) -> bool {
    if unnumbered(fabric, from) && unnumbered(fabric, to) {
        return true;
    }
    let (Some(source), Some(target), Some(expected)) =
        (from.source, from.peer_address, to.peer_address)
    else {
        return false;
    };
    let has = |device: DeviceId, address: std::net::IpAddr| {
        fabric.device(device).router.is_some_and(|router| fabric.has_address(router, address))
    };
    source.value == expected.value && has(from.device, source.value) && has(to.device, target.value)
}

/// Whether a session is of one AS: iBGP (RFC 4271 section 1.1).
pub(crate) fn is_internal(fabric: &Fabric, session: &Session) -> bool {
    let asn = |device| fabric.router_of(device)?.as_number.map(|asn| asn.value);
    asn(session.device).is_some_and(|own| asn(session.peer) == Some(own))
}
