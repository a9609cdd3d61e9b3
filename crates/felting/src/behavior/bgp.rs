//! How BGP passes routes on: RFC 4271 and, for reflectors, RFC 4456.
//!
//! Routes that one speaker originates in one family are passed on alike, so what is computed is how
//! far they get, not each route. [`Bgp::propagate`] follows them to every speaker and is asked for one
//! origin at a time; what is known of all origins is worked out for those that nothing tells apart (`alike`).

mod alike;
mod next_hop;
mod settle;

use std::cmp::Ordering;
use std::collections::{BTreeSet, VecDeque};
use std::net::Ipv4Addr;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::cause::Causes;
use super::session::{self, Outcomes, SessionFault, SessionOutcome, is_internal};
use super::underlay::Underlay;
use crate::diagnostic::At;
use crate::fabric::{DeviceId, Fabric, PolicyName, RouterId, SessionId};
use crate::id::{FromIndex, Id, IdVec};
use crate::value::{Asn, Family, IpPrefix, NextHopRule};
use alike::{Common, Spread};
use next_hop::{NextHop, Unreached, Unreaching, Unresolved};
pub(crate) use next_hop::{address_of, next_hop_rule};

/// What became of all sessions, and how far routes get over them.
#[derive(Clone, Debug, Default)]
pub struct Bgp {
    pub(super) outcomes: Outcomes,
    classes: Classes,
    /// For each family that some session carries.
    spread: Vec<(Family, Spread)>,
    /// Whether a written policy is asked, so that prefixes differ in how far they get.
    by_prefix: bool,
    unresolved: Unresolved,
}

/// How a speaker got a route.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Learned {
    /// It is its own.
    Local,
    /// Over eBGP.
    External,
    /// Over iBGP.
    Internal,
}

/// A route as a speaker has it: all that decides how it is passed on.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Path {
    /// The speaker that originates it.
    pub origin: RouterId,
    /// How the speaker got it.
    pub learned: Learned,
    /// The speaker's end of the session that brought it.
    pub from: Option<SessionId>,
    /// The AS numbers on its way, the nearest first.
    pub as_path: SmallVec<[Asn; 4]>,
    /// The speaker that put itself in as next hop; the origin's own address if none.
    pub rewritten: Option<RouterId>,
    /// The end of a session over a link whose address there is the next hop.
    pub link: Option<SessionId>,
    /// The router id of the origin, as a reflector wrote it (RFC 4456 section 8).
    pub originator: Option<Ipv4Addr>,
    /// The clusters on its way, the nearest first.
    pub clusters: SmallVec<[Ipv4Addr; 2]>,
    /// Whether it still has its extended communities.
    pub communities: bool,
}

/// Why a speaker does not have a route from a peer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum NotPassed {
    /// The session is down.
    Down(SessionFault),
    /// The family is not active at both ends.
    Family,
    /// The peer does not have it.
    PeerLacks,
    /// The peer has it from this speaker.
    FromHere,
    /// The peer has it over iBGP and is no reflector for the two (RFC 4456 section 6).
    NotReflected,
    /// The peer exports nothing over eBGP without a policy (RFC 8212).
    NoExport,
    /// A policy of the peer stops it.
    Exported(SessionId),
    /// This speaker imports nothing over eBGP without a policy (RFC 8212).
    NoImport,
    /// A policy of this speaker stops it.
    Imported,
    /// Its own AS number is in the path (RFC 4271 section 9.1.2).
    AsLoop,
    /// It is this speaker's own, come back from a reflector.
    OwnAgain,
    /// It has passed this cluster already (RFC 4456 section 8).
    ClusterLoop,
    /// There is no way to its next hop from here (RFC 4271 section 9.1.2.1).
    NextHop,
    /// Its next hop is this speaker's own address (RFC 4271 section 6.3).
    OwnNextHop,
    /// The peer has another speaker's that says the same with the same route distinguisher, and passes that on
    /// (RFC 7432 section 7.9).
    OneOfAlike,
}

/// What becomes of a class's routes at another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Verdict {
    /// Whether a speaker on the way put itself in as next hop.
    pub(crate) rewritten: Option<RouterId>,
    pub(crate) communities: bool,
}

/// How far the routes of some origins got.
#[derive(Clone, Debug)]
pub struct Propagated {
    /// The best path of each speaker, if it has one.
    pub best: IdVec<RouterId, Option<Path>>,
}

/// Who hears which prefix of whom, as far as it has been asked.
#[derive(Debug, Default)]
pub(crate) struct Heard(FxHashMap<(RouterId, IpPrefix), Vec<bool>>);

/// Speakers that behave equally: the same peers, set alike at both ends.
#[derive(Clone, Debug, Default)]
struct Classes {
    of: IdVec<RouterId, u32>,
    /// The first members of each class, at most three: two of them are no pair.
    members: Vec<SmallVec<[RouterId; 3]>>,
}

impl Bgp {
    /// The switches that have ends of sessions for a family, none of which carries it.
    pub(super) fn without_any(&self, fabric: &Fabric, family: Family) -> BTreeSet<DeviceId> {
        let ends = |router: &crate::fabric::Router| {
            let meant = |session: &SessionId| {
                fabric.session(*session).families.iter().any(|own| own.value == family)
            };
            router.sessions.iter().filter(meant).collect::<Vec<_>>()
        };
        let routers = fabric.routers().filter(|(_, router)| {
            let own = ends(router);
            !own.is_empty() && own.iter().all(|&id| !self.outcomes[id].carries(family))
        });
        routers.map(|(_, router)| router.device).collect()
    }

    /// The sessions over links, which bring the underlay's routes; `underlay` is what it is without them.
    pub(super) fn over_links(fabric: &Fabric, underlay: &Underlay, causes: &mut Causes) -> Self {
        let (adjacencies, of_interface) = (&underlay.adjacencies, &underlay.of_interface);
        let outcomes = session::over_links(fabric, adjacencies, of_interface, causes);
        let families = [Family::Ipv4, Family::Ipv6];
        let bgp = Self::of(fabric, outcomes, &families, Unresolved::default());
        let unresolved = match bgp.is_used() {
            true => Unresolved::of_links(fabric, underlay, &bgp, &bgp.outcomes),
            false => Unresolved::default(),
        };
        match unresolved.is_empty() {
            true => bgp,
            false => Self::of(fabric, bgp.outcomes, &families, unresolved),
        }
    }

    /// All sessions, when the underlay's routes are known.
    pub(super) fn over_all(fabric: &Fabric, underlay: &Underlay, causes: &mut Causes) -> Self {
        let links = underlay.bgp.outcomes.clone();
        let outcomes = session::over_loopbacks(fabric, underlay, links, causes);
        let unresolved = Unresolved::of_speakers(fabric, underlay, &outcomes);
        Self::of(fabric, outcomes, &[Family::Evpn], unresolved)
    }

    fn of(
        fabric: &Fabric,
        outcomes: Outcomes,
        families: &[Family],
        unresolved: Unresolved,
    ) -> Self {
        let written = |names: &[At<PolicyName>]| {
            names.iter().any(|name| matches!(name.value, PolicyName::Policy(_)))
        };
        let by_prefix = fabric.sessions.values().any(|s| written(&s.import) || written(&s.export));
        let used = |family: Family| outcomes.values().any(|outcome| outcome.carries(family));
        let families: Vec<Family> = families.iter().copied().filter(|&f| used(f)).collect();
        let (classes, spread) = (Classes::default(), Vec::new());
        let mut bgp = Self { outcomes, classes, spread, by_prefix, unresolved };
        if !families.is_empty() {
            bgp.classes = bgp.classify(fabric);
            bgp.spread = families.into_iter().map(|f| (f, Spread::of(fabric))).collect();
        }
        bgp
    }

    /// The class of a speaker, where BGP has any say.
    pub(super) fn class_of(&self, router: RouterId) -> Option<u32> {
        self.is_used().then(|| self.classes.of[router])
    }

    /// Whether a speaker has no way to what another originates by EVPN, whoever tells it.
    pub(super) fn has_no_way(&self, at: RouterId, origin: RouterId) -> bool {
        self.unresolved.holds(at, NextHop::Speaker(origin))
    }

    /// What became of a session.
    pub fn session(&self, session: SessionId) -> &SessionOutcome {
        &self.outcomes[session]
    }

    /// Whether a speaker is among the first three of those that behave equally.
    pub(crate) fn stands_for_others(&self, router: RouterId) -> bool {
        let class = self.classes.of.values().nth(router.index());
        class.is_none_or(|&class| self.classes.members[class as usize].contains(&router))
    }

    pub(crate) fn is_used(&self) -> bool {
        !self.spread.is_empty()
    }

    /// Groups the speakers. Two are alike if they have the same peers, set alike at both ends, and no AS
    /// number that a third might meet again.
    fn classify(&self, fabric: &Fabric) -> Classes {
        type Peer = (RouterId, u8, Ends);
        type Views = Vec<(Unreaching, Vec<(Unreaching, Unreached)>)>;
        type Identity = (Option<Asn>, Option<Ipv4Addr>, Option<Ipv4Addr>, bool);
        type Alike = (Identity, Views, Vec<Peer>);
        let common: FxHashSet<Common> =
            alike::in_common(fabric).into_iter().map(|(what, _)| what).collect();
        // What next hops a speaker has no way to, and who has none to those that are its own.
        let relations = self.unresolved.relations(fabric);
        let mut unresolved: FxHashMap<RouterId, Views> = FxHashMap::default();
        for alike in relations.chunk_by(|one, other| one.0 == other.0) {
            let lack = |how: Unreaching| matches!(how, Unreaching::Lacks | Unreaching::Has);
            let lacking: Vec<_> =
                alike.iter().filter(|one| lack(one.1)).map(|&(_, how, of)| (how, of)).collect();
            for &(what, how, of) in alike {
                let Unreached::Router(router) = of else { continue };
                let seen = match how {
                    Unreaching::Lacks | Unreaching::Has | Unreaching::In => vec![(how, what)],
                    Unreaching::Of | Unreaching::Link(_) | Unreaching::LinkTo(_) => lacking.clone(),
                };
                unresolved.entry(router).or_default().push((how, seen));
            }
        }
        let mut known: FxHashMap<Alike, u32> = FxHashMap::default();
        let mut classes = Classes { of: IdVec::filled(&fabric.routers, 0), ..Classes::default() };
        for (id, router) in fabric.routers.iter() {
            let mut peers: Vec<Peer> = router
                .sessions
                .iter()
                .filter(|&session| self.outcomes[session].is_up())
                .filter_map(|session| {
                    let peer = fabric.devices[fabric.session(session).peer].router?;
                    let outcome = &self.outcomes[session];
                    let ends = Ends::of(fabric, session, outcome.twin?);
                    Some((peer, outcome.families, ends))
                })
                .collect();
            peers.sort_unstable_by_key(|peer| (peer.0, peer.1));
            let views = unresolved.get(&id).cloned().unwrap_or_default();
            let asn = router.as_number.map(|asn| asn.value);
            let asn = asn.filter(|&asn| common.contains(&Common::As(asn)));
            let id_value = router.router_id.map(|id| id.value);
            let twice = id_value.filter(|&id| common.contains(&Common::Id(id)));
            let cluster = router.cluster_id.map(|id| id.value);
            let key = ((asn, twice, cluster, router.policy_required), views, peers);
            let next = u32::try_from(classes.members.len()).unwrap_or(u32::MAX);
            let class = *known.entry(key).or_insert(next);
            if class == next {
                classes.members.push(SmallVec::new());
            }
            classes.of[id] = class;
            let members = &mut classes.members[class as usize];
            if members.len() < 3 {
                members.push(id);
            }
        }
        classes
    }

    /// The first speaker of each class.
    pub(crate) fn speakers(&self) -> Vec<RouterId> {
        self.classes.members.iter().filter_map(|members| members.first().copied()).collect()
    }

    /// What becomes of a speaker's routes at another, if they get there.
    pub(crate) fn verdict(
        &self,
        fabric: &Fabric,
        family: Family,
        origin: RouterId,
        at: RouterId,
    ) -> Option<Verdict> {
        let (_, spread) = self.spread.iter().find(|(known, _)| *known == family)?;
        spread.verdict(fabric, self, family, origin, at)
    }

    /// The color of a speaker in a family: those of one color have sessions set alike with as many of each color.
    pub(super) fn color(&self, fabric: &Fabric, family: Family, router: RouterId) -> Option<u32> {
        let (_, spread) = self.spread.iter().find(|(known, _)| *known == family)?;
        Some(spread.color(fabric, self, family, router))
    }

    /// The speakers that a speaker's routes may reach otherwise than others of their color, in order, each with a
    /// number for those that they reach alike; none if each may be reached otherwise.
    pub(super) fn told_apart_by(
        &self,
        fabric: &Fabric,
        family: Family,
        origin: RouterId,
    ) -> Option<Vec<(RouterId, u32)>> {
        let Some((_, spread)) = self.spread.iter().find(|(known, _)| *known == family) else {
            return Some(Vec::new());
        };
        // What policies make of single prefixes may part those whose choice it changes.
        if self.by_prefix { None } else { spread.split_by(fabric, self, family, origin) }
    }

    /// Whether the routes of one speaker get to another, whatever policies say of single prefixes.
    pub(in crate::behavior) fn reaches(
        &self,
        fabric: &Fabric,
        family: Family,
        origin: RouterId,
        at: RouterId,
    ) -> bool {
        origin == at || self.verdict(fabric, family, origin, at).is_some()
    }

    /// Whether a speaker gets a prefix that another originates. Where written policies are asked, each
    /// prefix is followed by itself, once for all that `heard` is passed to.
    pub(crate) fn hears(
        &self,
        fabric: &Fabric,
        family: Family,
        at: RouterId,
        origin: RouterId,
        prefix: &IpPrefix,
        heard: &mut Heard,
    ) -> bool {
        if !self.by_prefix && self.tells(fabric, family, origin, at) {
            return true;
        }
        if self.verdict(fabric, family, origin, at).is_none() {
            return false;
        }
        !self.by_prefix
            || heard.0.entry((origin, *prefix)).or_insert_with(|| {
                let found = self.propagate(fabric, family, &[origin], Some(prefix));
                found.best.values().map(Option::is_some).collect()
            })[at.index()]
    }

    /// Whether a speaker tells another of its own itself: that has a route then, this or a better one.
    fn tells(&self, fabric: &Fabric, family: Family, origin: RouterId, at: RouterId) -> bool {
        let device = fabric.router(at).device;
        let mut sessions = fabric.router(origin).sessions.iter();
        sessions.any(|session| {
            fabric.session(session).peer == device
                && self.outcomes[session].twin.is_some_and(|end| {
                    self.offer(fabric, family, &Path::local(origin), end, None).is_ok()
                })
        })
    }

    /// Follows the routes of some origins to all speakers; `prefix` is what policies are asked about.
    pub(in crate::behavior) fn propagate(
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

    /// As [`Bgp::propagate`], to some speakers only.
    pub(crate) fn propagate_among(
        &self,
        fabric: &Fabric,
        family: Family,
        origins: &[RouterId],
        prefix: Option<&IpPrefix>,
        among: impl Fn(RouterId) -> bool,
    ) -> Propagated {
        let telling = AmongSpeakers { bgp: self, fabric, family, prefix, among: &among };
        let own = origins.iter().map(|&origin| (origin.index(), Path::local(origin)));
        let best = IdVec::of(settle::settle(&telling, fabric.routers.len(), own));
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
    pub(in crate::behavior) fn received(
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
    fn offer(
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
                () if self.unresolved.holds(at, NextHop::Link(link)) => Err(NotPassed::NextHop),
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
        match address.is_none() || self.unresolved.holds(at, NextHop::Speaker(speaker)) {
            true => Err(NotPassed::NextHop),
            false => Ok(()),
        }
    }
}

/// The speakers themselves.
struct AmongSpeakers<'a, A> {
    bgp: &'a Bgp,
    fabric: &'a Fabric,
    family: Family,
    prefix: Option<&'a IpPrefix>,
    among: &'a A,
}

impl<A: Fn(RouterId) -> bool> settle::Telling for AmongSpeakers<'_, A> {
    fn peers(&self, at: usize, tell: &mut dyn FnMut(usize, SessionId)) {
        for session in self.fabric.router(RouterId::from_index(at)).sessions.iter() {
            let to = self.fabric.devices[self.fabric.session(session).peer].router;
            let Some(to) = to.filter(|&to| (self.among)(to)) else { continue };
            if let Some(twin) = self.bgp.outcomes[session].twin {
                tell(to.index(), twin);
            }
        }
    }

    fn offer(&self, path: &Path, at: SessionId) -> Option<Path> {
        self.bgp.offer(self.fabric, self.family, path, at, self.prefix).ok()
    }

    fn is_better(&self, one: &Path, other: &Path) -> bool {
        compare(self.fabric, one, other) == Ordering::Less
    }
}

impl Verdict {
    fn of(path: &Path) -> Self {
        Self { rewritten: path.rewritten, communities: path.communities }
    }
}

impl Path {
    fn local(origin: RouterId) -> Self {
        Self {
            origin,
            learned: Learned::Local,
            from: None,
            as_path: SmallVec::new(),
            rewritten: None,
            link: None,
            originator: None,
            clusters: SmallVec::new(),
            communities: true,
        }
    }
}

/// A speaker's cluster id: its router id, where none is written (RFC 4456 section 7).
fn cluster(router: &crate::fabric::Router) -> Option<Ipv4Addr> {
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

/// Which of two paths a speaker prefers (RFC 4271 section 9.1.2.2, RFC 4456 section 9). All have one local
/// preference, and the way to the next hop costs the same.
fn compare(fabric: &Fabric, a: &Path, b: &Path) -> Ordering {
    let rank = |path: &Path| match path.learned {
        Learned::Local => 0,
        Learned::External => 1,
        Learned::Internal => 2,
    };
    let local = |path: &Path| path.learned != Learned::Local;
    let peer = |path: &Path| path.from.map(|from| fabric.session(from));
    let identifier = |path: &Path| {
        let router = peer(path).and_then(|session| fabric.router_of(session.peer));
        path.originator.or(router.and_then(|router| router.router_id).map(|id| id.value))
    };
    let address =
        |path: &Path| peer(path).and_then(|session| session.peer_address).map(|a| a.value);
    local(a)
        .cmp(&local(b))
        .then(a.as_path.len().cmp(&b.as_path.len()))
        .then(rank(a).cmp(&rank(b)))
        .then(identifier(a).cmp(&identifier(b)))
        .then(a.clusters.len().cmp(&b.clusters.len()))
        .then(address(a).cmp(&address(b)))
        .then(a.from.cmp(&b.from))
}

/// How the two ends of a session are set, as far as it decides what is passed on.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
struct Ends {
    ends: [End; 2],
}

#[derive(Clone, Debug, PartialEq, Eq, Hash)]
struct End {
    client: bool,
    communities: bool,
    next_hop: Option<NextHopRule>,
    import: SmallVec<[Option<u32>; 2]>,
    export: SmallVec<[Option<u32>; 2]>,
}

impl Ends {
    fn of(fabric: &Fabric, near: SessionId, far: SessionId) -> Self {
        let names = |names: &[At<PolicyName>]| {
            names
                .iter()
                .map(|name| match name.value {
                    PolicyName::Everything => None,
                    PolicyName::Policy(policy) => u32::try_from(policy.index()).ok(),
                })
                .collect()
        };
        let end = |session: SessionId| {
            let session = fabric.session(session);
            End {
                client: session.client.value,
                communities: session.communities.value,
                next_hop: session.next_hop.map(|rule| rule.value),
                import: names(&session.import),
                export: names(&session.export),
            }
        };
        Self { ends: [end(near), end(far)] }
    }
}
