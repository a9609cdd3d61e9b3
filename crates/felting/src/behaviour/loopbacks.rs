//! Which sessions between loopbacks are up: both ends must reach each other.

use std::collections::BTreeSet;
use std::net::IpAddr;

use smallvec::SmallVec;

use super::bgp::{Heard, address_of};
use super::cause::Causes;
use super::session::{Outcomes, SessionFault, claim, is_internal, judge};
use super::underlay::Underlay;
use crate::fabric::{Fabric, RouterId, Session, SessionId};
use crate::value::{IpPrefix, SessionOver};

/// Judges the sessions between loopbacks: both ends must reach each other.
pub(super) fn over_loopbacks(
    fabric: &Fabric,
    underlay: &Underlay,
    mut outcomes: Outcomes,
    causes: &mut Causes,
) -> Outcomes {
    for (id, _) in fabric.sessions().filter(|(_, s)| s.over == SessionOver::Loopbacks) {
        outcomes[id] = judge(fabric, id, fabric.twin(id), causes);
    }
    let mut heard = Heard::default();
    let ids: Vec<SessionId> = fabric.sessions.ids().collect();
    for id in ids {
        let session = fabric.session(id);
        let (true, Some(twin)) = (session.over == SessionOver::Loopbacks, outcomes[id].twin) else {
            continue;
        };
        if outcomes[id].fault.is_some() {
            continue;
        }
        if let Some(fault) = unreachable(fabric, underlay, id, twin, &mut heard) {
            outcomes[id].fault = Some(fault);
            if matches!(fault, SessionFault::MultihopMissing | SessionFault::MultihopShort(_)) {
                let cause = claim(causes, "session-multihop-missing", id, twin);
                outcomes[id].cause = Some(cause);
            }
        }
    }
    // A session is up at both ends or at none.
    let ids: Vec<SessionId> = fabric.sessions.ids().collect();
    for id in ids {
        if let (Some(twin), None) = (outcomes[id].twin, outcomes[id].fault) {
            let (fault, cause) = (outcomes[twin].fault, outcomes[twin].cause);
            outcomes[id].fault = fault;
            outcomes[id].cause = outcomes[id].cause.or(cause);
        }
    }
    outcomes
}

/// What sessions between loopbacks and next hops of EVPN are sought by.
#[derive(Clone, Debug, Default)]
pub(super) struct Sought {
    /// The addresses, in order.
    addresses: Vec<IpAddr>,
    /// Whether it matters to some session over how many links its peer is.
    by_hops: bool,
}

impl Sought {
    pub(super) fn of(fabric: &Fabric) -> Self {
        let sessions = || fabric.sessions().filter(|(_, one)| one.over == SessionOver::Loopbacks);
        let peers = sessions().filter_map(|(_, one)| one.peer_address.map(|peer| peer.value));
        let speakers = fabric.routers().filter_map(|(id, _)| address_of(fabric, id));
        let mut addresses: Vec<IpAddr> = peers.chain(speakers).collect();
        addresses.sort_unstable();
        addresses.dedup();
        Self { addresses, by_hops: sessions().any(|(_, one)| !is_internal(fabric, one)) }
    }

    /// Whether something may be sought otherwise where other links are up, which have these subnets.
    pub(super) fn may_change(&self, subnets: &BTreeSet<IpPrefix>) -> bool {
        let holds = |subnet: &IpPrefix| {
            let first = self.addresses.partition_point(|address| *address < subnet.address());
            self.addresses.get(first).is_some_and(|&address| subnet.contains(address))
        };
        self.by_hops || subnets.iter().any(holds)
    }
}

/// Why two ends between loopbacks don't reach each other.
fn unreachable(
    fabric: &Fabric,
    underlay: &Underlay,
    id: SessionId,
    twin: SessionId,
    heard: &mut Heard,
) -> Option<SessionFault> {
    let (session, other) = (fabric.session(id), fabric.session(twin));
    let router = |session: &Session| fabric.devices[session.device].router;
    let (Some(here), Some(there), Some(target)) =
        (router(session), router(other), session.peer_address)
    else {
        return Some(SessionFault::Unreachable);
    };
    if underlay.delivers_as(fabric, here, target.value, heard).is_err() {
        return Some(SessionFault::Unreachable);
    }
    if is_internal(fabric, session) {
        return None;
    }
    let hops = hops(fabric, underlay, here, there);
    let Some(most) = session.multihop else {
        // RFC 4271 section 5.1.3 knows of no such check where the peer is one hop away: what is sent with a TTL
        // of 1 gets there. Farther away it doesn't (RFC 791 section 3.2).
        let checked = fabric.router(here).connected_check || hops != Some(1);
        return checked.then_some(SessionFault::MultihopMissing);
    };
    match hops {
        Some(hops) if hops <= most.value => None,
        hops => Some(SessionFault::MultihopShort(hops.unwrap_or(u16::MAX))),
    }
}

/// Over how many links the nearest way leads. Paths are short, so the search starts at both ends'
/// nearest neighbours.
fn hops(fabric: &Fabric, underlay: &Underlay, from: RouterId, to: RouterId) -> Option<u16> {
    if underlay.link_to(fabric, from, to).is_some() {
        return Some(1);
    }
    // From the end with fewer links: a spine has one to each leaf.
    let links = |router: RouterId| fabric.router(router).interfaces.len();
    let (from, to) = if links(from) <= links(to) { (from, to) } else { (to, from) };
    let near = underlay.neighbours(fabric, from);
    if near.iter().any(|&router| underlay.link_to(fabric, router, to).is_some()) {
        return Some(2);
    }
    let mut seen = rustc_hash::FxHashSet::from_iter([from]);
    let mut edge: SmallVec<[RouterId; 8]> = SmallVec::from_iter([from]);
    for hops in 1..u16::MAX {
        let mut next = SmallVec::new();
        for &router in &edge {
            for other in underlay.neighbours(fabric, router) {
                if other == to {
                    return Some(hops);
                }
                if seen.insert(other) {
                    next.push(other);
                }
            }
        }
        if next.is_empty() {
            return None;
        }
        edge = next;
    }
    None
}
