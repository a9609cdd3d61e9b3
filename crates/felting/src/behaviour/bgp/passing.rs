//! How speakers pass routes on: what a path becomes at the next speaker, or why it doesn't get there.

use std::cmp::Ordering;
use std::collections::VecDeque;
use std::net::Ipv4Addr;

use rustc_hash::FxHashSet;

use super::ends::{Ends, Kinds};
use super::next_hop::{NextHop, Unresolved, Ways, address_of, next_hop_rule};
use super::path::{Learned, NotPassed, Path, Propagated, compare};
use super::settle::{Telling, settle};
use crate::behaviour::session::Outcomes;
use crate::diagnostic::At;
use crate::fabric::{DeviceId, Fabric, PolicyName, RouterId, SessionId};
use crate::id::{FromIndex, Id, IdVec, Later};
use crate::value::{Family, IpPrefix, NextHopRule};

/// What decides how routes are passed on: which sessions are up, and which next hops are reached.
#[derive(Clone, Debug, Default)]
pub(crate) struct Passing {
    pub(in crate::behaviour) outcomes: Outcomes,
    pub(super) ways: Ways,
    pub(super) kinds: Later<Kinds>,
}

impl Passing {
    /// Whether a speaker has no way to a next hop.
    pub(super) fn lacks(&self, fabric: &Fabric, at: RouterId, next_hop: NextHop) -> bool {
        match &self.ways {
            Ways::But(unresolved) => unresolved.holds(at, next_hop),
            Ways::Asked(leading) => leading.lacks(fabric, &self.outcomes, at, next_hop),
        }
    }

    /// The next hops that speakers have no way to.
    pub(super) fn unresolved(&self, fabric: &Fabric) -> &Unresolved {
        match &self.ways {
            Ways::But(unresolved) => unresolved,
            Ways::Asked(leading) => leading.unresolved(fabric, &self.outcomes),
        }
    }

    /// How the two ends of a session are set.
    pub(super) fn ends(&self, fabric: &Fabric, near: SessionId, far: SessionId) -> Ends {
        self.kinds.or(|| Kinds::of(fabric)).ends(near, far)
    }

    /// Whether a speaker tells another of its own itself: that has a route then, this or a better one.
    pub(super) fn tells(
        &self,
        fabric: &Fabric,
        family: Family,
        origin: RouterId,
        at: RouterId,
    ) -> bool {
        let (here, there) = (fabric.router(at), fabric.router(origin));
        let heard =
            |end: SessionId| self.offer(fabric, family, &Path::local(origin), end, None).is_ok();
        // Of two ends of a session that of the speaker with fewer is found sooner.
        match here.sessions.len() < there.sessions.len() {
            true => here.sessions.iter().any(|end| {
                let told = |twin: SessionId| self.outcomes[twin].twin == Some(end);
                let of_origin = fabric.session(end).peer == there.device;
                of_origin && self.outcomes[end].twin.is_some_and(told) && heard(end)
            }),
            false => there.sessions.iter().any(|session| {
                let to_here = fabric.session(session).peer == here.device;
                to_here && self.outcomes[session].twin.is_some_and(heard)
            }),
        }
    }

    /// Follows the routes of some origins to all speakers; `prefix` is what policies are asked about.
    pub(crate) fn propagate(
        &self,
        fabric: &Fabric,
        family: Family,
        origins: &[RouterId],
        prefix: Option<&IpPrefix>,
    ) -> Propagated {
        self.propagate_among(fabric, family, origins, prefix, |_| true)
    }

    /// For whom routes have to be followed to know what gets to a speaker: itself and its peers, and all
    /// that pass on what they hear. Who is neither a reflector nor has a peer in another AS doesn't.
    pub(crate) fn between(fabric: &Fabric, at: RouterId) -> IdVec<RouterId, bool> {
        let asn = |router: RouterId| fabric.router(router).as_number.map(|asn| asn.value);
        let peer = |session: SessionId| fabric.devices[fabric.session(session).peer].router;
        let mut among = IdVec::filled(&fabric.routers, false);
        for (id, router) in fabric.routers.iter() {
            among[id] = router.sessions.iter().any(|session| {
                fabric.session(session).client.value || peer(session).and_then(asn) != asn(id)
            });
        }
        among[at] = true;
        for peer in fabric.router(at).sessions.iter().filter_map(peer) {
            among[peer] = true;
        }
        among
    }

    /// As [`propagate`](Self::propagate), to some speakers only.
    pub(crate) fn propagate_among(
        &self,
        fabric: &Fabric,
        family: Family,
        origins: &[RouterId],
        prefix: Option<&IpPrefix>,
        among: impl Fn(RouterId) -> bool,
    ) -> Propagated {
        let telling = AmongSpeakers { passing: self, fabric, family, prefix, among: &among };
        let own = origins.iter().map(|&origin| (origin.index(), Path::local(origin)));
        let best = IdVec::of(settle(&telling, fabric.routers.len(), own));
        Propagated { best }
    }

    /// Where the routes of some origins are lost on their way to a speaker that doesn't have them: the session
    /// by which a peer that has them doesn't pass them on, and why. The nearest first.
    pub(crate) fn where_lost(
        &self,
        fabric: &Fabric,
        family: Family,
        origins: &[RouterId],
        at: RouterId,
        prefix: Option<&IpPrefix>,
    ) -> Option<(SessionId, NotPassed)> {
        let found = self.propagate(fabric, family, origins, prefix);
        let mut seen = FxHashSet::from_iter([at]);
        let mut queue = VecDeque::from([at]);
        let mut down = None;
        while let Some(at) = queue.pop_front() {
            for (session, offer) in self.received(fabric, family, &found, at, prefix) {
                match offer {
                    Ok(_) | Err(NotPassed::FromHere) => {}
                    Err(why @ (NotPassed::Down(_) | NotPassed::Family)) => {
                        down = down.or(Some((session, why)));
                    }
                    Err(NotPassed::PeerLacks) => {
                        let peer = fabric.devices[fabric.session(session).peer].router;
                        queue.extend(peer.filter(|&peer| seen.insert(peer)));
                    }
                    Err(why) => return Some((session, why)),
                }
            }
        }
        down
    }

    /// What each peer of a speaker offers it, or why it doesn't.
    pub(crate) fn received(
        &self,
        fabric: &Fabric,
        family: Family,
        found: &Propagated,
        at: RouterId,
        prefix: Option<&IpPrefix>,
    ) -> Vec<(SessionId, Result<Path, NotPassed>)> {
        let sessions = fabric.router(at).sessions.iter();
        let offers = sessions.map(|session| {
            let peer = fabric.devices[fabric.session(session).peer].router;
            let path = peer.and_then(|peer| found.best[peer].as_ref());
            let offer = match (self.outcomes[session].fault, path) {
                (Some(fault), _) => Err(NotPassed::Down(fault)),
                (None, None) => Err(NotPassed::PeerLacks),
                (None, Some(path)) => self.offer(fabric, family, path, session, prefix),
            };
            (session, offer)
        });
        offers.collect()
    }

    /// The sessions of a speaker that bring paths as good as its best, for use at once: as long a path,
    /// learned in the same way.
    pub(crate) fn equal(
        &self,
        fabric: &Fabric,
        family: Family,
        found: &Propagated,
        at: RouterId,
        prefix: Option<&IpPrefix>,
    ) -> Vec<SessionId> {
        let Some(best) = &found.best[at] else { return Vec::new() };
        let offers = self.received(fabric, family, found, at, prefix);
        let alike = offers.into_iter().filter(|(_, offer)| {
            offer.as_ref().is_ok_and(|path| {
                path.as_path.len() == best.as_path.len() && path.learned == best.learned
            })
        });
        alike.map(|(session, _)| session).collect()
    }

    /// What a peer's path becomes at the end of the session where it arrives, or why it doesn't.
    pub(super) fn offer(
        &self,
        fabric: &Fabric,
        family: Family,
        path: &Path,
        at: SessionId,
        prefix: Option<&IpPrefix>,
    ) -> Result<Path, NotPassed> {
        let outcome = &self.outcomes[at];
        if let Some(fault) = outcome.fault {
            return Err(NotPassed::Down(fault));
        }
        if !outcome.carries(family) {
            return Err(NotPassed::Family);
        }
        let Some(sent) = outcome.twin else { return Err(NotPassed::Family) };
        let (receiving, sending) = (fabric.session(at), fabric.session(sent));
        let router = |id| fabric.router_of(id);
        let (Some(receiver), Some(sender)) = (router(receiving.device), router(sending.device))
        else {
            return Err(NotPassed::Family);
        };
        if path.from == Some(sent) {
            return Err(NotPassed::FromHere);
        }
        let asn = |router: &crate::fabric::Router| router.as_number.map(|asn| asn.value);
        let (Some(own), Some(theirs)) = (asn(receiver), asn(sender)) else {
            return Err(NotPassed::Family);
        };
        let external = own != theirs;
        let reflected = !external && path.learned == Learned::Internal;
        // Most offers are refused, so the path is copied only when it passes.
        let mut originator = path.originator;
        if external {
            passes(fabric, &sending.export, sender.policy_required, prefix).map_err(|written| {
                if written { NotPassed::Exported(sent) } else { NotPassed::NoExport }
            })?;
            if path.as_path.contains(&own) {
                return Err(NotPassed::AsLoop);
            }
            passes(fabric, &receiving.import, receiver.policy_required, prefix).map_err(
                |written| if written { NotPassed::Imported } else { NotPassed::NoImport },
            )?;
        } else {
            if reflected {
                let from_client = path.from.is_some_and(|from| fabric.session(from).client.value);
                if !from_client && !sending.client.value {
                    return Err(NotPassed::NotReflected);
                }
                let brought = path.from.and_then(|from| {
                    router(fabric.session(from).peer)?.router_id.map(|id| id.value)
                });
                originator = originator.or(brought);
                let id = receiver.router_id.map(|id| id.value);
                if id.is_some() && originator == id {
                    return Err(NotPassed::OwnAgain);
                }
                let passed = |own| cluster(sender) == Some(own) || path.clusters.contains(&own);
                if cluster(receiver).is_some_and(passed) {
                    return Err(NotPassed::ClusterLoop);
                }
            }
            if passes(fabric, &sending.export, false, prefix).is_err() {
                return Err(NotPassed::Exported(sent));
            }
            if passes(fabric, &receiving.import, false, prefix).is_err() {
                return Err(NotPassed::Imported);
            }
        }
        let mut next = path.clone();
        next.from = Some(at);
        next.communities &= sending.communities.value;
        if external {
            next.as_path.insert(0, theirs);
            next.learned = Learned::External;
            // What a reflector wrote does not leave its AS (RFC 4456 section 8).
            next.originator = None;
            next.clusters.clear();
        } else {
            next.learned = Learned::Internal;
            next.originator = originator;
            if reflected {
                next.clusters.insert_many(0, cluster(sender));
            }
        }
        let local = path.learned == Learned::Local;
        let rule = next_hop_rule(fabric, sending);
        // What a speaker originates has its own address already.
        if rule == NextHopRule::Rewritten && !local {
            next.rewritten = fabric.devices[sending.device].router;
        }
        if rule == NextHopRule::Rewritten || local {
            next.link = sending.interface.map(|_| sent);
        }
        self.resolves(fabric, family, receiving.device, &next)?;
        Ok(next)
    }

    /// Whether a speaker can use a path: it has a way to the next hop (RFC 4271 section 9.1.2.1), which is not
    /// itself (section 6.3).
    fn resolves(
        &self,
        fabric: &Fabric,
        family: Family,
        device: DeviceId,
        path: &Path,
    ) -> Result<(), NotPassed> {
        let Some(at) = fabric.devices[device].router else { return Ok(()) };
        if family != Family::Evpn {
            let Some(link) = path.link else { return Ok(()) };
            let session = fabric.session(link);
            return match () {
                () if session.device == device => Err(NotPassed::OwnNextHop),
                () if session.peer == device => Ok(()),
                () if self.lacks(fabric, at, NextHop::Link(link)) => Err(NotPassed::NextHop),
                () => Ok(()),
            };
        }
        let speaker = path.rewritten.unwrap_or(path.origin);
        if speaker == at {
            return if path.rewritten.is_some() { Err(NotPassed::OwnNextHop) } else { Ok(()) };
        }
        let address = address_of(fabric, speaker);
        if address.is_some() && address == address_of(fabric, at) {
            // The sides of a pair have one address, and tell each other by their own.
            let paired = fabric.pair_of(device, fabric.router(speaker).device).is_some();
            return if paired { Ok(()) } else { Err(NotPassed::OwnNextHop) };
        }
        match address.is_none() || self.lacks(fabric, at, NextHop::Speaker(speaker)) {
            true => Err(NotPassed::NextHop),
            false => Ok(()),
        }
    }
}

/// The speakers themselves.
struct AmongSpeakers<'a, A> {
    passing: &'a Passing,
    fabric: &'a Fabric,
    family: Family,
    prefix: Option<&'a IpPrefix>,
    among: &'a A,
}

impl<A: Fn(RouterId) -> bool> Telling for AmongSpeakers<'_, A> {
    fn peers(&self, at: usize, tell: &mut dyn FnMut(usize, SessionId)) {
        for session in self.fabric.router(RouterId::from_index(at)).sessions.iter() {
            let to = self.fabric.devices[self.fabric.session(session).peer].router;
            let Some(to) = to.filter(|&to| (self.among)(to)) else { continue };
            if let Some(twin) = self.passing.outcomes[session].twin {
                tell(to.index(), twin);
            }
        }
    }

    fn offer(&self, path: &Path, at: SessionId) -> Option<Path> {
        self.passing.offer(self.fabric, self.family, path, at, self.prefix).ok()
    }

    fn is_better(&self, one: &Path, other: &Path) -> bool {
        compare(self.fabric, one, other) == Ordering::Less
    }
}

/// A speaker's cluster id: its router id, where none is written (RFC 4456 section 7).
pub(super) fn cluster(router: &crate::fabric::Router) -> Option<Ipv4Addr> {
    router.cluster_id.or(router.router_id).map(|id| id.value)
}

/// Whether policies let a route through; of the error whether a written one stops it.
fn passes(
    fabric: &Fabric,
    names: &[At<PolicyName>],
    required: bool,
    prefix: Option<&IpPrefix>,
) -> Result<(), bool> {
    if names.is_empty() {
        return if required { Err(false) } else { Ok(()) };
    }
    let Some(prefix) = prefix else { return Ok(()) };
    let all = names.iter().all(|name| match name.value {
        PolicyName::Everything => true,
        PolicyName::Policy(policy) => fabric.policy(policy).passes(prefix),
    });
    if all { Ok(()) } else { Err(true) }
}
