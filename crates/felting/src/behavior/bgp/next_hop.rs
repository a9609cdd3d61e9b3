//! Whether a speaker has a way to the next hop of a route: without one it can't use the route, nor pass it on
//! (RFC 4271 section 9.1.2.1).

use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::{Bgp, Heard, Outcomes};
use crate::behavior::session::is_internal;
use crate::behavior::underlay::Underlay;
use crate::fabric::{DeviceId, Fabric, RouterId, Session, SessionId};
use crate::id::IdVec;
use crate::value::{Family, IpPrefix, NextHopRule, SessionOver};

/// What is the next hop of a route.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) enum NextHop {
    /// The address by which EVPN names a speaker.
    Speaker(RouterId),
    /// The address that a speaker has on the link of a session.
    Link(SessionId),
}

/// The next hops that some speakers have no way to: none where all is well.
#[derive(Clone, Debug, Default)]
pub(super) struct Unresolved {
    /// Speakers of one view are led by the underlay to the same addresses.
    views: IdVec<RouterId, u32>,
    pairs: FxHashSet<(u32, NextHop)>,
    /// The views that have no way to each next hop of these pairs, in order.
    by: FxHashMap<NextHop, SmallVec<[u32; 2]>>,
    blind: FxHashSet<u32>,
}

/// The address by which EVPN names a speaker as next hop: its VTEP's, or its loopback's.
pub(crate) fn address_of(fabric: &Fabric, speaker: RouterId) -> Option<IpAddr> {
    let router = fabric.router(speaker);
    let vtep = fabric.vtep_of(router.device).map(|vtep| vtep.value);
    vtep.or_else(|| router.loopbacks.first().map(|loopback| loopback.address()))
}

impl Unresolved {
    /// Whether every speaker has a way to every next hop.
    pub(super) fn is_empty(&self) -> bool {
        self.pairs.is_empty()
    }

    /// Whether a speaker has no way to a next hop.
    pub(super) fn holds(&self, at: RouterId, next_hop: NextHop) -> bool {
        !self.pairs.is_empty() && self.pairs.contains(&(self.views[at], next_hop))
    }

    /// The views that have no way to a next hop.
    pub(super) fn views_without(&self, next_hop: NextHop) -> SmallVec<[u32; 2]> {
        self.by.get(&next_hop).cloned().unwrap_or_default()
    }

    /// The view of a speaker, where it matters.
    pub(super) fn view(&self, at: RouterId) -> Option<u32> {
        (!self.blind.is_empty()).then(|| self.views[at]).filter(|view| self.blind.contains(view))
    }

    fn add(&mut self, view: u32, next_hop: NextHop) {
        if self.pairs.insert((view, next_hop)) {
            self.by.entry(next_hop).or_default().push(view);
            self.blind.insert(view);
        }
    }

    /// The VTEPs and loopbacks that speakers of EVPN are not led to, whatever they hear.
    pub(super) fn of_speakers(fabric: &Fabric, underlay: &Underlay, outcomes: &Outcomes) -> Self {
        let mut found = Self { views: underlay.views(fabric), ..Self::default() };
        let carries = |&session: &SessionId| outcomes[session].carries(Family::Evpn);
        let speakers = fabric.routers.iter().filter(|(_, router)| {
            let mut sessions = router.sessions.iter();
            sessions.any(|session| carries(&session))
        });
        let speakers: Vec<RouterId> = speakers.map(|(id, _)| id).collect();
        let members = members(&found.views, speakers.iter().copied());
        let mut heard = Heard::default();
        for &speaker in &speakers {
            let Some(address) = address_of(fabric, speaker) else { continue };
            for (view, members) in &members {
                let Some(&at) = members.iter().find(|&&at| at != speaker) else { continue };
                if underlay.delivers_as(fabric, at, address, &mut heard).is_err() {
                    found.add(*view, NextHop::Speaker(speaker));
                }
            }
        }
        found
    }

    /// The addresses of links that are kept as next hops, where nobody tells of their subnets.
    pub(super) fn of_links(
        fabric: &Fabric,
        underlay: &Underlay,
        bgp: &Bgp,
        outcomes: &Outcomes,
    ) -> Self {
        let keeping = keeping(fabric, outcomes);
        if keeping.is_empty() {
            return Self::default();
        }
        let mut found = Self { views: underlay.views_with(fabric, bgp), ..Self::default() };
        let mut heard = Heard::default();
        let mut known: FxHashMap<RouterId, Vec<RouterId>> = FxHashMap::default();
        for (id, session) in fabric.sessions() {
            let Some(interface) = session.interface.filter(|_| outcomes[id].is_up()) else {
                continue;
            };
            let own = fabric.devices[session.device].router;
            let Some(first) = fabric.devices[session.peer].router else { continue };
            let subnets = fabric.interface(interface).addresses.iter().map(|one| one.subnet());
            let subnets: SmallVec<[IpPrefix; 2]> = subnets.collect();
            let behind =
                known.entry(first).or_insert_with(|| behind(&keeping, &found.views, first));
            for at in behind.iter().copied().filter(|&at| Some(at) != own) {
                let led = subnets.iter().any(|subnet| {
                    underlay.origins(subnet).iter().any(|origin| {
                        underlay.joined(at, origin, subnet)
                            || bgp.hears(
                                fabric,
                                subnet.family(),
                                at,
                                origin.router,
                                subnet,
                                &mut heard,
                            )
                    })
                });
                if !led {
                    found.add(found.views[at], NextHop::Link(id));
                }
            }
        }
        found
    }
}

/// To whom each speaker passes next hops on as they are.
type Keeping = FxHashMap<RouterId, SmallVec<[RouterId; 2]>>;

/// To whom each speaker tells what it hears over links without putting itself in as next hop.
fn keeping(fabric: &Fabric, outcomes: &Outcomes) -> Keeping {
    let mut keeping: Keeping = FxHashMap::default();
    for (id, session) in fabric.sessions() {
        if session.over != SessionOver::Links || !outcomes[id].is_up() {
            continue;
        }
        let router = |device: DeviceId| fabric.devices[device].router;
        if next_hop_rule(fabric, session) == NextHopRule::Kept
            && let (Some(from), Some(to)) = (router(session.device), router(session.peer))
        {
            keeping.entry(from).or_default().push(to);
        }
    }
    keeping
}

/// Whom a next hop gets to unchanged from the speaker that hears it first: the first two of each view, of which
/// one is not the next hop's owner.
fn behind(keeping: &Keeping, views: &IdVec<RouterId, u32>, first: RouterId) -> Vec<RouterId> {
    let mut seen = FxHashSet::from_iter([first]);
    let mut queue = vec![first];
    let mut of_view: FxHashMap<u32, u8> = FxHashMap::default();
    let mut found = Vec::new();
    while let Some(from) = queue.pop() {
        for &to in keeping.get(&from).into_iter().flatten() {
            if !seen.insert(to) {
                continue;
            }
            queue.push(to);
            let known = of_view.entry(views[to]).or_default();
            if *known < 2 {
                *known += 1;
                found.push(to);
            }
        }
    }
    found
}

/// What a speaker does with the next hop of what it passes on by a session: RFC 4271 section 5.1.3.
pub(crate) fn next_hop_rule(fabric: &Fabric, session: &Session) -> NextHopRule {
    let usual = match is_internal(fabric, session) {
        true => NextHopRule::Kept,
        false => NextHopRule::Rewritten,
    };
    session.next_hop.map_or(usual, |rule| rule.value)
}

/// The first two of each view, in the order of the views: of any next hop one of them is not the owner.
fn members(
    views: &IdVec<RouterId, u32>,
    all: impl Iterator<Item = RouterId>,
) -> Vec<(u32, SmallVec<[RouterId; 2]>)> {
    let mut found: std::collections::BTreeMap<u32, SmallVec<[RouterId; 2]>> =
        std::collections::BTreeMap::new();
    for router in all {
        let members = found.entry(views[router]).or_default();
        if members.len() < 2 {
            members.push(router);
        }
    }
    found.into_iter().collect()
}
