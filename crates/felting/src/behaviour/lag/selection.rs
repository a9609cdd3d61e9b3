//! Which members of a LAG are used: LACP's selection, and what static LAGs do.

use std::collections::BTreeSet;

use rustc_hash::FxHashMap;

use super::outcome::{LagOutcome, MemberOutcome, MemberState, Reason, SystemId};
use super::partner::{EndId, Ends, Knots, ends, knots, port_number};
use super::refused::{Refused, refused};
use crate::behaviour::cause::{Aspect, CauseId, Causes, Entity};
use crate::behaviour::link::{ClosedBy, Far, Links};
use crate::behaviour::stack::{self, Stacks};
use crate::fabric::{Fabric, LagId, MemberId, PortId};
use crate::id::{IdVec, Pages};
use crate::value::{Activity, PartnerBy, Protocol, Speed, Unanswered};

/// The far side of a member that could aggregate: what its LACPDUs say, and how it ranks.
#[derive(Clone, Copy)]
struct Candidate {
    member: MemberId,
    own: SystemId,
    partner: SystemId,
    /// The key of the own port, and that of the partner's.
    keys: (u16, u16),
    /// The port id by which the system with the better identifier ranks the link.
    rank: Rank,
}

/// Port priority, then port number, then (between members of several partners) the own port.
type Rank = (u16, (usize, usize), PortId);

/// What of LAGs follows from what is written alone.
#[derive(Debug)]
pub(in crate::behaviour) struct Basis {
    ends: Ends,
    speakers: IdVec<LagId, Speaker>,
    refused: Refused,
}

pub(in crate::behaviour) type Lags = Pages<LagId, LagOutcome>;
pub(in crate::behaviour) type Members = Pages<MemberId, MemberOutcome>;

pub(in crate::behaviour) fn outcomes(
    fabric: &Fabric,
    links: &Links,
    stacks: &Stacks,
    causes: &mut Causes,
) -> (Lags, Members, Basis) {
    let refused = refused(fabric, causes);
    let basis = Basis { ends: ends(fabric), speakers: speakers(fabric), refused };
    let all: Vec<EndId> = basis.ends.all.ids().collect();
    let lags: Vec<LagId> = fabric.lags.ids().collect();
    let members = Pages::filled(&fabric.members, WAITING);
    let (outcomes, members) =
        Selection::of(fabric, links, stacks, &basis, members, &all, &lags, causes);
    (Pages::of(outcomes), members, basis)
}

const WAITING: MemberOutcome = MemberOutcome {
    state: MemberState::NoLink,
    distributing: false,
    reason: Reason::NoCable,
    cause: None,
    far: None,
};

/// As many LAGs may hang together with what changes: of more, all are selected anew.
const MOST_AGAIN: usize = 64;

/// The LAGs that hang together with some through their members, by the links of either state, in order; none if
/// they are too many.
pub(in crate::behaviour) fn hanging_together(
    fabric: &Fabric,
    basis: &Basis,
    fars: [&Far; 2],
    some: &[LagId],
) -> Option<Vec<LagId>> {
    let mut found: BTreeSet<LagId> = BTreeSet::new();
    let mut open: Vec<LagId> = some.to_vec();
    while let Some(lag) = open.pop() {
        if !found.insert(lag) {
            continue;
        }
        if found.len() > MOST_AGAIN {
            return None;
        }
        open.extend(basis.ends.all[basis.ends.of[lag]].lags());
        for member in fabric.lag(lag).members.iter() {
            let port = fabric.member(member).port.value;
            let far = fars.into_iter().filter_map(|far| far[port]);
            open.extend(far.filter_map(|far| fabric.lag_of(far)));
        }
    }
    Some(found.into_iter().collect())
}

/// The outcomes with those of some LAGs that [hang together](hanging_together) selected anew; none if something about
/// these is a fault, whose causes depend on what comes before and after.
pub(in crate::behaviour) fn outcomes_again(
    fabric: &Fabric,
    links: &Links,
    stacks: &Stacks,
    basis: &Basis,
    before: (&Lags, &Members),
    again: &[LagId],
    causes: &Causes,
) -> Option<(Lags, Members)> {
    let of_lags = || again.iter().flat_map(|&lag| fabric.lag(lag).members.iter());
    let (mut lags, mut members) = (before.0.clone(), before.1.clone());
    let is_sound = |lags: &Lags, members: &Members| {
        let of_lag = |&lag: &LagId| lags[lag].cause.is_none() && !lags[lag].tangled;
        again.iter().all(of_lag) && of_lags().all(|id| members[id].cause.is_none())
    };
    if !is_sound(&lags, &members) || of_lags().any(|id| basis.refused.contains_key(&id)) {
        return None;
    }
    for id in of_lags() {
        members[id] = WAITING;
    }
    let mut ends: Vec<EndId> = again.iter().map(|&lag| basis.ends.of[lag]).collect();
    ends.sort_unstable();
    ends.dedup();
    let mut scratch = causes.clone();
    scratch.begin();
    let (outcomes, members) =
        Selection::of(fabric, links, stacks, basis, members, &ends, again, &mut scratch);
    for (&lag, outcome) in again.iter().zip(outcomes) {
        lags[lag] = outcome;
    }
    (scratch.found().is_empty() && is_sound(&lags, &members)).then_some((lags, members))
}

/// What a LAG says of itself, close together in memory: every member asks for that of both ends.
#[derive(Clone, Copy, Debug)]
struct Speaker {
    system: SystemId,
    key: u16,
    protocol: Protocol,
    mode: Activity,
}

fn speakers(fabric: &Fabric) -> IdVec<LagId, Speaker> {
    let speaker = |(id, lag): (LagId, &crate::fabric::Lag)| Speaker {
        system: system(fabric, id),
        key: fabric.lacp_key(id),
        protocol: lag.protocol.value,
        mode: lag.mode.value,
    };
    IdVec::of(fabric.lags().map(speaker).collect::<Vec<_>>())
}

struct Selection<'a> {
    fabric: &'a Fabric,
    far: &'a Far,
    links: &'a Links,
    stacks: &'a Stacks,
    basis: &'a Basis,
    /// The LAGs that are selected for.
    asked: &'a [LagId],
    members: Members,
    knots: Knots,
    causes: &'a mut Causes,
    below_minimum: IdVec<LagId, bool>,
    /// Scratch space, kept to spare an allocation an end.
    candidates: Vec<Candidate>,
}

impl<'a> Selection<'a> {
    /// The outcomes of some LAGs, which are those of some ends, and of their members.
    #[allow(clippy::too_many_arguments, reason = "what a selection depends on")]
    fn of(
        fabric: &'a Fabric,
        links: &'a Links,
        stacks: &'a Stacks,
        basis: &'a Basis,
        members: Members,
        ends: &[EndId],
        asked: &'a [LagId],
        causes: &'a mut Causes,
    ) -> (Vec<LagOutcome>, Members) {
        let far = &links.effective;
        let knots = knots(fabric, far, &basis.ends, ends, causes);
        let mut selection = Self {
            fabric,
            far,
            links,
            stacks,
            basis,
            asked,
            members,
            knots,
            causes,
            below_minimum: IdVec::filled(&fabric.lags, false),
            candidates: Vec::new(),
        };
        for &end in ends {
            selection.members_of(end);
        }
        for &end in ends {
            selection.standby(end);
        }
        selection.distribute();
        selection.one_at_a_time();
        (selection.lags(), selection.members)
    }

    /// Settles every member of one end but for standing by.
    fn members_of(&mut self, end: EndId) {
        self.candidates.clear();
        for lag in self.basis.ends.all[end].lags() {
            for member in self.fabric.lag(lag).members.iter() {
                self.member(end, lag, member);
            }
        }
        self.lead(end);
    }

    fn member(&mut self, end: EndId, lag: LagId, id: MemberId) {
        let member = self.fabric.member(id);
        let port = member.port.value;
        if let Some(first) = member.taken_by {
            let cause = self.causes.claimed(Entity::Port(port), Aspect::Membership);
            let taken = Reason::TakenBy(self.fabric.member(first).lag);
            self.settle(id, MemberState::NoLink, taken, cause);
            return;
        }
        let Some(far) = self.far[port] else {
            self.without_link(id, port);
            return;
        };
        self.members[id].far = Some(far);
        if let Some(&(reason, cause)) = self.basis.refused.get(&id) {
            self.settle(id, MemberState::Refused, reason, Some(cause));
            return;
        }
        let cause = self.knots.get(&end).copied();
        let own = self.basis.speakers[lag];
        let Some(far_lag) = self.fabric.lag_of(far) else {
            self.alone(id, lag, cause);
            return;
        };
        let other = self.basis.speakers[far_lag];
        // A far port that its device keeps out of the LAG sends no LACPDUs for it.
        let theirs =
            self.fabric.port_member[far].and_then(|member| self.basis.refused.get(&member));
        if let Some(&(_, refusal)) = theirs.filter(|_| own.protocol != Protocol::Static) {
            self.alone(id, lag, Some(refusal));
            return;
        }
        match (own.protocol, other.protocol) {
            (mine, theirs) if mine != theirs => {
                let clash =
                    self.between("lag-protocol-clash", Aspect::Protocol, lag, far_lag, cause);
                self.alone(id, lag, Some(clash));
            }
            // Static members to whomever: nothing is noticed. A proprietary negotiation is taken
            // to succeed between its like.
            (Protocol::Static, _) => self.use_member(id, Reason::NotNegotiated, cause),
            (Protocol::Proprietary, _) => self.use_member(id, Reason::Negotiated, cause),
            // IEEE 802.1AX clause 6.4.1: a passive end only answers, so two of them stay silent.
            (Protocol::Lacp, _)
                if own.mode == Activity::Passive && other.mode == Activity::Passive =>
            {
                let lock = self.between("lag-mode-deadlock", Aspect::Mode, lag, far_lag, cause);
                self.alone(id, lag, Some(lock));
            }
            (Protocol::Lacp, _) => self.negotiate(id, lag, far_lag, far, cause),
        }
    }

    fn without_link(&mut self, id: MemberId, port: PortId) {
        let (reason, cause) = match self.fabric.link(port) {
            Some((cable, _)) => {
                let speed = self.causes.claimed(Entity::Cable(cable), Aspect::Speed);
                let reused = self.causes.claimed(Entity::Port(port), Aspect::Link);
                (Reason::NoLink, speed.or(reused))
            }
            None => (Reason::NoCable, None),
        };
        let closed = (reason == Reason::NoLink).then(|| self.closed_by(port)).flatten();
        let reason = closed.unwrap_or(reason);
        self.settle(id, MemberState::NoLink, reason, cause);
    }

    /// What closed the port of a member that would have a link.
    fn closed_by(&self, port: PortId) -> Option<Reason> {
        Some(match self.links.why.get(&port)? {
            ClosedBy::Pair => Reason::PairSplit,
            ClosedBy::Stack => Reason::StackSplit,
            ClosedBy::Isolation => Reason::NoLink,
        })
    }

    /// The cause between two ends that do not understand each other: one of the wider faults
    /// found before, or a new one, which both ends share.
    fn between(
        &mut self,
        rule: &'static str,
        aspect: Aspect,
        lag: LagId,
        far: LagId,
        knot: Option<CauseId>,
    ) -> CauseId {
        let (own, other) = (Entity::Lag(lag), Entity::Lag(far));
        let known = knot
            .or_else(|| self.causes.claimed(own, aspect))
            .or_else(|| self.causes.claimed(other, aspect));
        known.unwrap_or_else(|| {
            let cause = self.causes.add(rule, own, aspect, Some(other));
            for end in [lag, far] {
                for half in self.basis.ends.all[self.basis.ends.of[end]].lags() {
                    self.causes.claim(cause, Entity::Lag(half), aspect);
                }
            }
            cause
        })
    }

    /// Nobody answers a member.
    fn alone(&mut self, id: MemberId, lag: LagId, cause: Option<CauseId>) {
        let lag = self.fabric.lag(lag);
        if lag.protocol.value == Protocol::Static {
            self.use_member(id, Reason::NotNegotiated, cause);
            return;
        }
        let unanswered = lag.unanswered.value;
        let state = match unanswered {
            // IEEE 802.1AX clause 6.4.12, Defaulted: the port operates as an individual link.
            Unanswered::Individual | Unanswered::One => MemberState::Individual,
            Unanswered::Closed => MemberState::Closed,
        };
        self.settle(id, state, Reason::Unanswered(unanswered), cause);
    }

    fn negotiate(
        &mut self,
        id: MemberId,
        lag: LagId,
        far_lag: LagId,
        far: PortId,
        cause: Option<CauseId>,
    ) {
        let (near, other) = (self.basis.speakers[lag], self.basis.speakers[far_lag]);
        let own = self.system_at(lag, self.fabric.member(id).port.value);
        let partner = self.system_at(far_lag, far);
        if own == partner {
            // IEEE 802.1AX clause 6.4.14.1: a port that leads back to its own system is
            // individual.
            let device = Entity::Device(self.fabric.lag(lag).device);
            let clash = self
                .identity_clash(lag)
                .or_else(|| self.identity_clash(far_lag))
                .or_else(|| self.causes.claimed(device, Aspect::Mac));
            self.settle(id, MemberState::Individual, Reason::OwnSystem, clash.or(cause));
            return;
        }
        let rank = rank(self.fabric, self.fabric.member(id).port.value, far, own < partner);
        let far_member = self.fabric.port_member[far].expect("the far port is in a LAG");
        self.candidates.push(Candidate {
            member: id,
            own,
            partner,
            keys: (
                self.fabric.member(id).key.unwrap_or(near.key),
                self.fabric.member(far_member).key.unwrap_or(other.key),
            ),
            rank,
        });
    }

    /// The system identifier that a port presents for its LAG: that of the LAG, but in a further part of a split
    /// stack that of the part.
    fn system_at(&self, lag: LagId, port: PortId) -> SystemId {
        let system = self.basis.speakers[lag].system;
        let made = self.fabric.lag(lag);
        match stack::part_of(self.fabric, self.stacks, port) {
            0 => system,
            _ if made.system.is_some() => system,
            part => SystemId {
                mac: stack::mac_of_part(self.fabric, self.stacks, made.device, part),
                ..system
            },
        }
    }

    /// Of the candidates of one end, those of one LAG ID make the LAG: that of the best member.
    /// Halves that present different systems each make their own.
    fn lead(&mut self, end: EndId) {
        let mut candidates = std::mem::take(&mut self.candidates);
        candidates.sort_unstable_by_key(|candidate| (candidate.own, candidate.rank));
        self.best_partner_first(&mut candidates);
        let mut lead: Option<Candidate> = None;
        for candidate in &candidates {
            let first = match lead {
                Some(first) if first.own == candidate.own => first,
                _ => *lead.insert(*candidate),
            };
            // IEEE 802.1AX clause 6.3.6: one LAG ID, which is system and key of both ends.
            if (first.partner, first.keys) == (candidate.partner, candidate.keys) {
                let cause = self.knots.get(&end).copied();
                self.settle(candidate.member, MemberState::Selected, Reason::Negotiated, cause);
            } else if first.partner != candidate.partner
                && self.far_lag(first.member) == self.far_lag(candidate.member)
            {
                let cause = self.knots.get(&end).copied();
                self.settle(candidate.member, MemberState::Apart, Reason::OtherPart, cause);
            } else if first.partner == candidate.partner
                && self.same_end(first.member, candidate.member)
            {
                let clash = self.identity_clash(self.fabric.member(candidate.member).lag);
                let clash = clash.or_else(|| self.identity_clash(self.far_lag(candidate.member)?));
                let cause = clash.or(self.knots.get(&end).copied());
                self.settle(candidate.member, MemberState::Apart, Reason::OtherKey, cause);
            } else {
                let lag = self.far_lag(first.member).expect("a candidate has a far LAG");
                let cause =
                    self.far_identity_clash(candidate.member).or(self.knots.get(&end).copied());
                let reason = Reason::OtherPartner(lag);
                self.settle(candidate.member, MemberState::Apart, reason, cause);
            }
        }
        self.candidates = candidates;
    }

    /// Puts the candidates of the partner that is to be had by bandwidth or by links before the others, where the
    /// LAG chooses by these. Of partners that are alike in it the one with the best port id comes first.
    fn best_partner_first(&self, candidates: &mut [Candidate]) {
        let by = |candidate: &Candidate| {
            self.fabric.lag(self.fabric.member(candidate.member).lag).partner_by
        };
        if candidates.iter().all(|candidate| by(candidate) == PartnerBy::Member) {
            return;
        }
        let lag_id = |candidate: &Candidate| (candidate.own, candidate.partner, candidate.keys);
        let mut worth: FxHashMap<_, (u64, usize)> = FxHashMap::default();
        for (place, candidate) in candidates.iter().enumerate() {
            let one = match by(candidate) {
                PartnerBy::Member => 0,
                PartnerBy::Links => 1,
                PartnerBy::Bandwidth => {
                    let port = self.fabric.member(candidate.member).port.value;
                    u64::from(self.fabric.port(port).speed.megabits())
                }
            };
            worth.entry(lag_id(candidate)).or_insert((0, place)).0 += one;
        }
        candidates.sort_by_key(|candidate| {
            let (worth, first) = worth[&lag_id(candidate)];
            (candidate.own, std::cmp::Reverse(worth), first)
        });
    }

    /// Whether two members lead to one end: a LAG, or the LAGs of one group or Ethernet segment.
    fn same_end(&self, a: MemberId, b: MemberId) -> bool {
        let end = |member| Some(self.basis.ends.of[self.far_lag(member)?]);
        end(a) == end(b)
    }

    /// The clash of identity of the pair or Ethernet segment that a member is on or leads to.
    fn far_identity_clash(&self, member: MemberId) -> Option<CauseId> {
        let own = self.fabric.member(member).lag;
        self.identity_clash(own).or_else(|| self.identity_clash(self.far_lag(member)?))
    }

    /// Why the switches of a group or Ethernet segment do not present one LACP system.
    fn identity_clash(&self, lag: LagId) -> Option<CauseId> {
        let lag = self.fabric.lag(lag);
        if let Some(segment) = lag.segment.filter(|_| lag.group.is_none()) {
            return self.causes.claimed(Entity::EthernetSegment(segment), Aspect::System);
        }
        let group = lag.group?;
        let pair = Entity::Pair(self.fabric.group(group).pair);
        let domain = self.causes.claimed(pair, Aspect::Domain);
        let system = || self.causes.claimed(pair, Aspect::System);
        let own = || self.causes.claimed(Entity::Group(group), Aspect::System);
        domain.or_else(system).or_else(own)
    }

    fn far_lag(&self, member: MemberId) -> Option<LagId> {
        self.fabric.lag_of(self.members[member].far?)
    }

    /// Puts members beyond either device's limit into reserve, the worst-ranked first.
    fn standby(&mut self, end: EndId) {
        let limits: Vec<_> = self.basis.ends.all[end]
            .lags()
            .filter_map(|lag| Some((lag, self.limit(lag)?)))
            .filter(|&(lag, limit)| self.fabric.lag(lag).members.len() > usize::from(limit))
            .collect();
        for (lag, limit) in limits {
            let mut ranked: Vec<_> = self
                .fabric
                .lag(lag)
                .members
                .iter()
                .filter(|&id| self.members[id].state == MemberState::Selected)
                .filter_map(|id| Some((self.members[id].far?, id)))
                .map(|(far, id)| {
                    let far_lag = self.fabric.lag_of(far).unwrap_or(lag);
                    let near = self.fabric.member(id).port.value;
                    let (own, other) = (self.system_at(lag, near), self.system_at(far_lag, far));
                    let decider = if own < other { lag } else { far_lag };
                    (rank(self.fabric, near, far, own < other), id, decider)
                })
                .collect();
            ranked.sort_unstable_by_key(|&(rank, id, _)| (rank, id));
            for &(_, id, decider) in ranked.iter().skip(usize::from(limit)) {
                // IEEE 802.1AX clause 6.7.1: the system with the better identifier chooses by its
                // own port ids, and both ends keep the link in reserve.
                let reason = Reason::Outranked { limit, decider };
                self.settle(id, MemberState::Standby, reason, None);
                let far = self.members[id].far.and_then(|far| self.fabric.port_member[far]);
                if let Some(far) = far {
                    self.settle(far, MemberState::Standby, reason, None);
                }
            }
        }
    }

    fn limit(&self, lag: LagId) -> Option<u16> {
        let lag = self.fabric.lag(lag);
        let limit = self.fabric.hardware_of(lag.device)?.members_in_use?.value;
        (lag.protocol.value == Protocol::Lacp).then_some(limit)
    }

    /// Members distribute that both ends selected, as long as either LAG has its minimum.
    fn distribute(&mut self) {
        let mut in_use: IdVec<LagId, u32> = IdVec::filled(&self.fabric.lags, 0);
        let all = self.asked.iter().flat_map(|&lag| self.fabric.lag(lag).members.iter());
        for id in all {
            let outcome = self.members[id];
            let far = outcome.far.and_then(|far| self.fabric.port_member[far]);
            let far_too = far.is_none_or(|far| self.members[far].state == MemberState::Selected);
            let negotiated = outcome.reason == Reason::Negotiated;
            let distributing = outcome.state == MemberState::Selected && (far_too || !negotiated);
            self.members[id].distributing = distributing;
            if outcome.state == MemberState::Selected && !distributing {
                // What keeps the far end from using the link is what keeps this one from it.
                let theirs = far.and_then(|far| self.members[far].cause);
                self.members[id].cause = outcome.cause.or(theirs);
            }
            in_use[self.fabric.member(id).lag] += u32::from(distributing);
        }
        let short = |lag: LagId, in_use: &IdVec<LagId, u32>| {
            in_use[lag] > 0 && in_use[lag] < u32::from(self.fabric.lag(lag).min_members.value)
        };
        let mut down: Vec<_> =
            self.asked.iter().copied().filter(|&lag| short(lag, &in_use)).collect();
        // A LAG below its minimum takes its members out, which may leave the far end short too.
        while let Some(lag) = down.pop() {
            self.below_minimum[lag] = true;
            for id in self.fabric.lag(lag).members.iter() {
                let far = self.members[id].far.and_then(|far| self.fabric.port_member[far]);
                let negotiated = self.members[id].reason == Reason::Negotiated;
                for id in std::iter::once(id).chain(far.filter(|_| negotiated)) {
                    if std::mem::replace(&mut self.members[id].distributing, false) {
                        let of = self.fabric.member(id).lag;
                        in_use[of] -= 1;
                        if short(of, &in_use) {
                            down.push(of);
                        }
                    }
                }
            }
        }
    }

    /// Where one unanswered member may forward, only that of the best port id does, and none while others are in a
    /// LAG: a device that uses one at a time has the aggregate in use then.
    fn one_at_a_time(&mut self) {
        for lag in self.asked.iter().map(|&lag| self.fabric.lag(lag)) {
            if lag.unanswered.value != Unanswered::One || lag.protocol.value == Protocol::Static {
                continue;
            }
            let individual = |id: &MemberId| self.members[*id].state == MemberState::Individual;
            let port_id = |id: &MemberId| {
                let member = self.fabric.member(*id);
                let written = member.number.map(|number| (0, usize::from(number)));
                (
                    member.priority,
                    written.unwrap_or_else(|| port_number(self.fabric, member.port.value)),
                )
            };
            let selected = |id: MemberId| self.members[id].state == MemberState::Selected;
            let best = match lag.members.iter().any(selected) {
                true => None,
                false => lag.members.iter().filter(individual).min_by_key(port_id),
            };
            for id in lag.members.iter() {
                if self.members[id].state == MemberState::Individual && Some(id) != best {
                    self.members[id].state = MemberState::Closed;
                }
            }
        }
    }

    fn lags(&self) -> Vec<LagOutcome> {
        let outcome = |id: LagId| {
            let lag = self.fabric.lag(id);
            let members = || lag.members.iter().map(|member| (member, self.members[member]));
            let in_use = members().filter(|(_, outcome)| outcome.distributing).count();
            let first = members().find(|(_, outcome)| outcome.distributing);
            let speeds = members()
                .filter(|(_, outcome)| outcome.distributing)
                .map(|(member, _)| self.fabric.port(self.fabric.member(member).port.value).speed);
            let faulty = members().find_map(|(_, outcome)| outcome.cause);
            let knot = self.knots.get(&self.basis.ends.of[id]).copied();
            LagOutcome {
                tangled: knot.is_some(),
                up: in_use > 0,
                bandwidth: Speed::sum(speeds),
                in_use: u32::try_from(in_use).unwrap_or(u32::MAX),
                partner: first.and_then(|(member, _)| self.far_lag(member)),
                system: (lag.protocol.value == Protocol::Lacp)
                    .then(|| self.basis.speakers[id].system),
                below_minimum: self.below_minimum[id],
                cause: faulty.or(knot),
            }
        };
        self.asked.iter().copied().map(outcome).collect()
    }

    fn use_member(&mut self, id: MemberId, reason: Reason, cause: Option<CauseId>) {
        self.settle(id, MemberState::Selected, reason, cause);
    }

    fn settle(&mut self, id: MemberId, state: MemberState, reason: Reason, cause: Option<CauseId>) {
        let outcome = &mut self.members[id];
        outcome.state = state;
        outcome.reason = reason;
        outcome.cause = cause;
    }
}

/// The system identifier that a LAG presents: what is written for it, that of its Ethernet
/// segment, that of the pair in a group, or its switch's.
pub(in crate::behaviour) fn system(fabric: &Fabric, lag: LagId) -> SystemId {
    let lag = fabric.lag(lag);
    let device = fabric.device(lag.device);
    let (priority, mac) = match (lag.group, device.pair, lag.segment) {
        (Some(_), Some((pair, side)), _) => {
            let side = &fabric.pair(pair).sides[side];
            (side.system_priority, side.system_mac)
        }
        // Of what an identifier of type 1 is made the partner says, so it can't be the own system.
        (_, _, Some(segment)) if fabric.ethernet_segment(segment).id.kind() != 1 => {
            (device.system_priority, fabric.ethernet_segment(segment).id.system())
        }
        _ => (device.system_priority, device.mac.value),
    };
    SystemId {
        priority: lag.system_priority.map_or(priority, |written| written.value),
        mac: lag.system.map_or(mac, |written| written.value),
    }
}

/// How the system with the better identifier ranks a link: by its own port's id.
pub(super) fn rank(fabric: &Fabric, near: PortId, far: PortId, near_decides: bool) -> Rank {
    let decides = if near_decides { near } else { far };
    let member = fabric.port_member[decides].map(|id| fabric.member(id));
    let priority = member.map_or(u16::MAX, |member| member.priority);
    let number = member.and_then(|member| member.number).map(|number| (0, usize::from(number)));
    (priority, number.unwrap_or_else(|| port_number(fabric, decides)), near)
}
