//! Whether a speaker has a way to the next hop of a route: without one it can't use the route, nor pass it on
//! (RFC 4271 section 9.1.2.1).

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::net::IpAddr;
use std::sync::Arc;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use crate::behaviour::session::{Outcomes, is_internal};
use crate::fabric::{DeviceId, Fabric, RouterId, Session, SessionId};
use crate::id::IdVec;
use crate::value::NextHopRule;

/// What is the next hop of a route.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) enum NextHop {
    /// The address by which EVPN names a speaker.
    Speaker(RouterId),
    /// The address that a speaker has on the link of a session.
    Link(SessionId),
}

/// What stands in a relation of next hops.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) enum Unreached {
    Router(RouterId),
    Group(u32),
    NextHop(NextHop),
}

/// How.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) enum Unreaching {
    /// It is the address of a speaker,
    Of,
    /// that on the link of the how manieth session between two, by its end,
    Link(usize),
    /// and by the other end.
    LinkTo(usize),
    /// All of a group, or one speaker, have no way to it,
    Lacks,
    /// but this one has.
    Has,
    /// A speaker is in a group.
    In,
}

/// The place of each session among those between its two ends.
pub(super) fn places_between(fabric: &Fabric) -> IdVec<SessionId, usize> {
    let mut places = IdVec::filled(&fabric.sessions, 0);
    let mut between: FxHashMap<DeviceId, usize> = FxHashMap::default();
    for (_, router) in fabric.routers() {
        between.clear();
        for id in router.sessions.iter() {
            let known = between.entry(fabric.session(id).peer).or_default();
            places[id] = *known;
            *known += 1;
        }
    }
    places
}

/// The next hops that some speakers have no way to: none where all is well.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Unresolved {
    /// Speakers of one group are led by the underlay to the same addresses, but for what is said of them alone.
    pub(super) group: IdVec<RouterId, u32>,
    pub(super) by: BTreeMap<NextHop, Lacking>,
}

/// Which next hops speakers have ways to.
#[derive(Clone, Debug)]
pub(super) enum Ways {
    /// All but these.
    But(Unresolved),
    /// It is worked out when it is asked.
    Asked(Arc<dyn Leading>),
}

/// What is asked which next hops it leads to.
pub(super) trait Leading: fmt::Debug + Send + Sync {
    /// The next hops that some speakers have no way to, by the sessions that carry EVPN.
    fn unresolved(&self, fabric: &Fabric, outcomes: &Outcomes) -> &Unresolved;
    /// Whether a speaker has no way to a next hop.
    fn lacks(&self, fabric: &Fabric, outcomes: &Outcomes, at: RouterId, next_hop: NextHop) -> bool;
}

impl Default for Ways {
    fn default() -> Self {
        Self::But(Unresolved::default())
    }
}

/// Who has no way to a next hop.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Lacking {
    /// All of these groups, in order,
    pub(super) groups: SmallVec<[u32; 2]>,
    /// but for these,
    pub(super) but: SmallVec<[RouterId; 2]>,
    /// and these of others.
    pub(super) also: SmallVec<[RouterId; 2]>,
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
        self.by.is_empty()
    }

    /// Whether a speaker has no way to a next hop.
    pub(super) fn holds(&self, at: RouterId, next_hop: NextHop) -> bool {
        self.by.get(&next_hop).is_some_and(|lacking| {
            lacking.also.contains(&at)
                || (lacking.groups.contains(&self.group[at]) && !lacking.but.contains(&at))
        })
    }

    /// What is known of next hops as relations: of each whose it is, and which groups and speakers it is out of
    /// reach for; and of these groups who is in them. In order.
    pub(super) fn relations(
        &self,
        fabric: &Fabric,
        places: &IdVec<SessionId, usize>,
    ) -> Vec<(Unreached, Unreaching, Unreached)> {
        let mut found = Vec::new();
        let mut groups: BTreeSet<u32> = BTreeSet::new();
        for (&next_hop, lacking) in &self.by {
            let hop = Unreached::NextHop(next_hop);
            let router = |device: DeviceId| fabric.devices[device].router.map(Unreached::Router);
            match next_hop {
                NextHop::Speaker(speaker) => {
                    found.push((hop, Unreaching::Of, Unreached::Router(speaker)));
                }
                NextHop::Link(session) => {
                    let place = places[session];
                    let session = fabric.session(session);
                    let of = router(session.device).map(|of| (hop, Unreaching::Link(place), of));
                    let to = router(session.peer).map(|to| (hop, Unreaching::LinkTo(place), to));
                    found.extend(of.into_iter().chain(to));
                }
            }
            groups.extend(&lacking.groups);
            found.extend(
                lacking.groups.iter().map(|&g| (hop, Unreaching::Lacks, Unreached::Group(g))),
            );
            let single = |how: Unreaching| move |&at: &RouterId| (hop, how, Unreached::Router(at));
            found.extend(lacking.but.iter().map(single(Unreaching::Has)));
            found.extend(lacking.also.iter().map(single(Unreaching::Lacks)));
        }
        for (router, group) in self.group.iter().filter(|(_, group)| groups.contains(group)) {
            found.push((Unreached::Group(*group), Unreaching::In, Unreached::Router(router)));
        }
        found.sort_unstable();
        found
    }

    pub(super) fn add(&mut self, group: u32, next_hop: NextHop) {
        let groups = &mut self.by.entry(next_hop).or_default().groups;
        if let Err(place) = groups.binary_search(&group) {
            groups.insert(place, group);
        }
    }
}

/// What a speaker does with the next hop of what it passes on by a session: RFC 4271 section 5.1.3.
pub(crate) fn next_hop_rule(fabric: &Fabric, session: &Session) -> NextHopRule {
    let usual = match is_internal(fabric, session) {
        true => NextHopRule::Kept,
        false => NextHopRule::Rewritten,
    };
    session.next_hop.map_or(usual, |rule| rule.value)
}
