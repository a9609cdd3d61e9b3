//! BGP over what is beneath it: the sessions, and the next hops that the underlay leads to.

use std::collections::BTreeSet;
use std::fmt;
use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::next_hop::{Lacking, Leading, NextHop, Unresolved, Ways, address_of, next_hop_rule};
use super::{Asked, Bgp, Heard};
use crate::behaviour::cause::Causes;
use crate::behaviour::loopbacks::over_loopbacks;
use crate::behaviour::session::{self, Outcomes};
use crate::behaviour::underlay::{AdjacencyId, Underlay};
use crate::fabric::{DeviceId, Fabric, RouterId};
use crate::id::{IdVec, Later};
use crate::value::{Family, IpPrefix, NextHopRule, SessionOver};

impl Bgp {
    /// The sessions over links, which bring the underlay's routes; `underlay` is what it is without them.
    pub(in crate::behaviour) fn over_links(
        fabric: &Fabric,
        underlay: &Underlay,
        asked: Asked,
        causes: &mut Causes,
    ) -> Self {
        let (adjacencies, of_interface) = (&underlay.adjacencies, &underlay.of_interface);
        let outcomes = session::over_links(fabric, adjacencies, of_interface, causes);
        Self::of_links(fabric, underlay, outcomes, asked)
    }

    /// The sessions over links after some were judged anew; `underlay` has those of before. None if there may be causes
    /// in it.
    pub(in crate::behaviour) fn over_links_again(
        fabric: &Fabric,
        underlay: &Underlay,
        adjacencies: &BTreeSet<AdjacencyId>,
        causes: &Causes,
    ) -> Option<Arc<Self>> {
        let mut outcomes = underlay.bgp.passing.outcomes.clone();
        let (all, of_interface) = (&underlay.adjacencies, &underlay.of_interface);
        let changed = session::over_links_again(
            fabric,
            all,
            of_interface,
            adjacencies,
            &mut outcomes,
            causes,
        )?;
        // Where next hops are kept, who is led to them may be others.
        let keeps = || underlay.bgp.is_used() && !keeping(fabric, &outcomes).is_empty();
        if !changed && !keeps() {
            return Some(Arc::clone(&underlay.bgp));
        }
        Some(Arc::new(Self::of_links(fabric, underlay, outcomes, Asked::Little)))
    }

    fn of_links(fabric: &Fabric, underlay: &Underlay, outcomes: Outcomes, asked: Asked) -> Self {
        let families = [Family::Ipv4, Family::Ipv6];
        let bgp = Self::of(fabric, outcomes, &families, Ways::default(), asked);
        let unresolved = match bgp.is_used() {
            true => Unresolved::of_links(fabric, underlay, &bgp, &bgp.passing.outcomes),
            false => Unresolved::default(),
        };
        match unresolved.is_empty() {
            true => bgp,
            false => {
                Self::of(fabric, bgp.passing.outcomes, &families, Ways::But(unresolved), asked)
            }
        }
    }

    /// All sessions, when the underlay's routes are known.
    pub(in crate::behaviour) fn over_all(
        fabric: &Fabric,
        underlay: &Arc<Underlay>,
        asked: Asked,
        causes: &mut Causes,
    ) -> Self {
        let links = underlay.bgp.passing.outcomes.clone();
        let outcomes = over_loopbacks(fabric, underlay, links, causes);
        let underneath = Underneath { underlay: Arc::clone(underlay), all: Later::default() };
        let ways = Ways::Asked(Arc::new(underneath));
        Self::of(fabric, outcomes, &[Family::Evpn], ways, asked)
    }
}

/// The ways that an underlay leads.
struct Underneath {
    underlay: Arc<Underlay>,
    /// The next hops that some have no way to, once all of them are asked for.
    all: Later<Unresolved>,
}

/// The underlay is that of the state that was asked first: others that share it lead alike.
impl fmt::Debug for Underneath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("as the underlay leads")
    }
}

impl Leading for Underneath {
    fn unresolved(&self, fabric: &Fabric, outcomes: &Outcomes) -> &Unresolved {
        self.all.or(|| Unresolved::of_speakers(fabric, &self.underlay, outcomes))
    }

    fn lacks(&self, fabric: &Fabric, outcomes: &Outcomes, at: RouterId, next_hop: NextHop) -> bool {
        match next_hop {
            // Where policies let through prefix by prefix, what is known of one question helps with the next.
            NextHop::Speaker(speaker)
                if self.all.known().is_none() && !self.underlay.bgp.by_prefix =>
            {
                let address = address_of(fabric, speaker).filter(|_| speaker != at);
                address.is_some_and(|to| self.underlay.delivers(fabric, at, to).is_err())
            }
            _ => self.unresolved(fabric, outcomes).holds(at, next_hop),
        }
    }
}

impl Unresolved {
    /// The VTEPs and loopbacks that speakers of EVPN are not led to, whatever they hear.
    fn of_speakers(fabric: &Fabric, underlay: &Underlay, outcomes: &Outcomes) -> Self {
        let mut found = Self { group: underlay.groups(fabric), ..Self::default() };
        let speaks = |at: RouterId| session::speaks(fabric, outcomes, at, Family::Evpn);
        let speakers: Vec<RouterId> = fabric.routers.ids().filter(|&at| speaks(at)).collect();
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
                for at in speaking.filter(|&at| speaks(at)) {
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
    fn of_links(fabric: &Fabric, underlay: &Underlay, bgp: &Bgp, outcomes: &Outcomes) -> Self {
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
