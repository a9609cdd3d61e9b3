//! Whether a speaker has a way to the next hop of a route: without one it can't use the route, nor pass it on
//! (RFC 4271 section 9.1.2.1).

use std::collections::{BTreeMap, BTreeSet};
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

/// The place of a session among those between its two ends.
pub(super) fn place_between(fabric: &Fabric, session: SessionId) -> usize {
    let (here, there) = (fabric.session(session).device, fabric.session(session).peer);
    let own = fabric.router_of(here).map(|router| router.sessions.iter());
    let between = |id: &SessionId| fabric.session(*id).peer == there;
    own.into_iter().flatten().filter(between).take_while(|&id| id != session).count()
}

/// The next hops that some speakers have no way to: none where all is well.
#[derive(Clone, Debug, Default)]
pub(super) struct Unresolved {
    /// Speakers of one group are led by the underlay to the same addresses, but for what is said of them alone.
    group: IdVec<RouterId, u32>,
    by: BTreeMap<NextHop, Lacking>,
}

/// Who has no way to a next hop.
#[derive(Clone, Debug, Default)]
struct Lacking {
    /// All of these groups, in order,
    groups: SmallVec<[u32; 2]>,
    /// but for these,
    but: SmallVec<[RouterId; 2]>,
    /// and these of others.
    also: SmallVec<[RouterId; 2]>,
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
    pub(super) fn relations(&self, fabric: &Fabric) -> Vec<(Unreached, Unreaching, Unreached)> {
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
                    let place = place_between(fabric, session);
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

    fn add(&mut self, group: u32, next_hop: NextHop) {
        let groups = &mut self.by.entry(next_hop).or_default().groups;
        if let Err(place) = groups.binary_search(&group) {
            groups.insert(place, group);
        }
    }

    /// The VTEPs and loopbacks that speakers of EVPN are not led to, whatever they hear.
    pub(super) fn of_speakers(fabric: &Fabric, underlay: &Underlay, outcomes: &Outcomes) -> Self {
        let mut found = Self { group: underlay.groups(fabric), ..Self::default() };
        let carries = |&session: &SessionId| outcomes[session].carries(Family::Evpn);
        let speaks = |router: &crate::fabric::Router| {
            router.sessions.iter().any(|session| carries(&session))
        };
        let speakers: Vec<RouterId> =
            fabric.routers.iter().filter(|(_, router)| speaks(router)).map(|(id, _)| id).collect();
        let mut members: Vec<Vec<RouterId>> = Vec::new();
        for &speaker in &speakers {
            let group = found.group[speaker] as usize;
            if members.len() <= group {
                members.resize(group + 1, Vec::new());
            }
            members[group].push(speaker);
        }
        let mut heard = Heard::default();
        for &speaker in &speakers {
            let Some(address) = address_of(fabric, speaker) else { continue };
            let apart = underlay.told_apart_by(fabric, address);
            let single = |at: RouterId| (SmallVec::from_iter([u32::MAX]), at);
            let each = apart.is_none();
            let apart = apart.unwrap_or_else(|| speakers.iter().copied().map(single).collect());
            let is_apart = |at: RouterId| each || apart.iter().any(|(_, other)| *other == at);
            let mut leads =
                |at: RouterId| underlay.delivers_as(fabric, at, address, &mut heard).is_ok();
            let mut lacking = Lacking::default();
            for (group, members) in members.iter().enumerate() {
                let stands = members.iter().copied().find(|&at| at != speaker && !is_apart(at));
                if stands.is_some_and(|at| !leads(at)) {
                    lacking.groups.push(u32::try_from(group).unwrap_or(u32::MAX));
                }
            }
            let mut known: Vec<(u32, bool)> = Vec::new();
            for alike in apart.chunk_by(|one, other| !each && one.0 == other.0) {
                known.clear();
                let speaking = alike.iter().map(|(_, at)| *at).filter(|&at| at != speaker);
                for at in speaking.filter(|&at| speaks(fabric.router(at))) {
                    let group = found.group[at];
                    let of_group = known.iter().find(|(known, _)| *known == group);
                    let led = match of_group {
                        Some(&(_, led)) => led,
                        None => {
                            let led = leads(at);
                            known.push((group, led));
                            led
                        }
                    };
                    match (lacking.groups.contains(&group), led) {
                        (true, true) => lacking.but.push(at),
                        (false, false) => lacking.also.push(at),
                        _ => {}
                    }
                }
            }
            if !lacking.groups.is_empty() || !lacking.also.is_empty() {
                found.by.insert(NextHop::Speaker(speaker), lacking);
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
        let mut found = Self { group: underlay.views_with(fabric, bgp), ..Self::default() };
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
                known.entry(first).or_insert_with(|| behind(&keeping, &found.group, first));
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
                    found.add(found.group[at], NextHop::Link(id));
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
