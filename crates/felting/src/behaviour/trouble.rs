//! What did not come about as it was written: everything that sheets, walks and drawings show as trouble.

use super::cause::{Aspect, Entity};
use super::evpn::replication;
use super::link::is_off;
use super::session::SessionFault;
use super::{AdjacencyFault, AdjacencyId, Apart, CauseId, MemberState, NoWayOut, Reason, State};
use crate::fabric::{
    CableId, DeviceId, InterfaceId, InterfacePlace, LagId, MemberId, OutsideId, PairId, PresenceId,
    PseudowireId, SessionId,
};
use crate::value::{Family, Replication};

/// Something that is written and does not work.
///
/// What is planned is none: a member that stands by within the limits, a port that the chosen tree closes, a cable in a
/// port that is switched off. What follows from what is [down](State::condition) is told apart by comparing with the state
/// in which nothing is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Trouble {
    /// A cable without a link, or one that leads nowhere.
    Cable(CableId),
    /// A member that its LAG does not use.
    Member(MemberId),
    /// A LAG end with members that would do, but fewer than its minimum.
    Lag(LagId),
    /// A pair whose peer link is down, or whose keepalives are lost.
    Pair(PairId),
    /// Two routers on one link that are no neighbours.
    Adjacency(AdjacencyId),
    /// A BGP session that is down.
    Session(SessionId),
    /// An end of a pseudowire that carries nothing, or one way only.
    Pseudowire(PseudowireId),
    /// A switch that doesn't lead to a network outside.
    WayOut {
        /// The network.
        outside: OutsideId,
        /// The switch.
        on: DeviceId,
    },
    /// A VTEP that does not flood a segment to another that has it.
    Apart {
        /// The one that sends.
        here: PresenceId,
        /// The other.
        there: PresenceId,
    },
}

impl State {
    /// All cables, LAGs, pairs, links, sessions and ways out that do not work, in time linear in them. [`parted`](Self::parted) has
    /// the VTEPs.
    ///
    /// ```
    /// use felting::behaviour::Trouble;
    /// let rule = felting::rules::find("lag-mode-deadlock").unwrap();
    /// let fabric = felting::Fabric::from_text("f.toml", rule.broken);
    /// let state = felting::State::of(&fabric, &Default::default(), &Default::default());
    /// let troubles = state.troubles();
    /// assert!(troubles.iter().all(|trouble| matches!(trouble, Trouble::Member(_))));
    /// assert_eq!(state.behind(troubles[0]), Some("lag-mode-deadlock"));
    /// ```
    pub fn troubles(&self) -> Vec<Trouble> {
        let fabric = self.fabric();
        let mut found = Vec::new();
        let cables = fabric.cables().filter(|&(id, _)| self.is_dead(id));
        found.extend(cables.map(|(id, _)| Trouble::Cable(id)));
        let members = fabric.members().filter(|&(id, _)| self.is_idle(id));
        found.extend(members.map(|(id, _)| Trouble::Member(id)));
        let short = fabric.lags().filter(|&(id, _)| self.lag(id).below_minimum);
        found.extend(short.map(|(id, _)| Trouble::Lag(id)));
        let broken = fabric.pairs().filter(|&(id, pair)| {
            let outcome = self.pair(id);
            let keeps = pair.sides.iter().any(|side| side.keepalive.is_some());
            outcome.on == [true, true] && (!outcome.peer_link || keeps && !outcome.alive)
        });
        found.extend(broken.map(|(id, _)| Trouble::Pair(id)));
        let apart = self.underlay().adjacencies().filter(|(_, adjacency)| {
            // Who seeks no neighbours on purpose has none.
            adjacency.fault.is_some_and(|fault| fault != AdjacencyFault::Passive)
        });
        found.extend(apart.map(|(id, _)| Trouble::Adjacency(id)));
        let down = fabric.sessions().filter(|&(id, _)| !self.bgp().session(id).is_up());
        found.extend(down.map(|(id, _)| Trouble::Session(id)));
        let wires = fabric.pseudowires().filter(|&(id, _)| !self.pseudowire(id).is_up);
        found.extend(wires.map(|(id, _)| Trouble::Pseudowire(id)));
        found.extend(self.without_way_out());
        found
    }

    /// The switches that don't lead to a network outside, though they are said to.
    pub(crate) fn without_way_out(&self) -> Vec<Trouble> {
        let fabric = self.fabric();
        let mut found = Vec::new();
        for (outside, made) in fabric.outsides() {
            // Without the VRF a switch leads nowhere for it, by whatever way.
            let has_vrf = |&on: &DeviceId| fabric.vrf(made.vrf.value).place_of(on).is_some();
            let on = made.on.iter().copied().filter(has_vrf);
            let lost = on.filter(|&on| !self.is_off(on) && self.leads_out(outside, on).is_err());
            found.extend(lost.map(|on| Trouble::WayOut { outside, on }));
        }
        found
    }

    /// The VTEPs that do not flood a segment to others of it, in time square in the VTEPs of each segment.
    pub fn parted(&self) -> Vec<Trouble> {
        let fabric = self.fabric();
        let mut found = Vec::new();
        for (_, segment) in fabric.segments() {
            for here in segment.presences.iter() {
                if replication(fabric, here) != Some(Replication::Ingress) {
                    continue;
                }
                let others = segment.presences.iter().filter(|&there| {
                    there != here && !self.are_paired(here, there) && self.is_left_out(here, there)
                });
                found.extend(others.map(|there| Trouble::Apart { here, there }));
            }
        }
        found
    }

    /// The rule that reports what is behind a trouble, where a cause is known.
    pub fn behind(&self, trouble: Trouble) -> Option<&'static str> {
        let claimed = |entity, aspect| self.causes().claimed(entity, aspect);
        let cause: Option<CauseId> = match trouble {
            Trouble::Cable(id) => {
                let own = Entity::Cable(id);
                claimed(own, Aspect::Speed).or_else(|| claimed(own, Aspect::Link))
            }
            Trouble::Member(id) => {
                let lag = self.fabric().member(id).lag;
                self.member(id).cause.or(self.lag(lag).cause)
            }
            Trouble::Lag(id) => self.lag(id).cause,
            Trouble::Pair(id) => self.of_pair(id),
            Trouble::Adjacency(id) => {
                let adjacency = self.underlay().adjacency(id);
                let ends = [adjacency.near, adjacency.far];
                adjacency.cause.or_else(|| ends.into_iter().find_map(|end| self.below(end)))
            }
            Trouble::Session(id) => self.bgp().session(id).cause,
            Trouble::WayOut { outside, on } => {
                let near = self.leads_out(outside, on).err().and_then(NoWayOut::interface);
                near.and_then(|near| {
                    let adjacency = self.underlay().adjacency_of(near);
                    let of_link = adjacency.and_then(|adjacency| adjacency.cause);
                    of_link.or_else(|| self.below(near))
                })
            }
            Trouble::Pseudowire(id) => return self.behind_wire(id),
            Trouble::Apart { .. } => None,
        };
        cause.map(|cause| self.causes().get(cause).rule)
    }

    /// The cause of what is wrong below an interface: its port, LAG, or the pair whose peer link it goes over.
    fn below(&self, id: InterfaceId) -> Option<CauseId> {
        let interface = self.fabric().interface(id);
        match interface.place {
            InterfacePlace::Port(port) => self.causes().claimed(Entity::Port(port), Aspect::Link),
            InterfacePlace::Lag(lag) => self.lag(lag).cause,
            InterfacePlace::Vlan(_) => self.of_pair(self.fabric().device(interface.device).pair?.0),
        }
    }

    /// The first cause that is about a pair.
    fn of_pair(&self, id: PairId) -> Option<CauseId> {
        let mut all = self.causes().iter();
        all.find(|(_, cause)| cause.entity == Entity::Pair(id)).map(|(id, _)| id)
    }

    /// The switches and hosts that a trouble is between.
    pub fn between(&self, trouble: Trouble) -> Vec<DeviceId> {
        let fabric = self.fabric();
        let at = |id: PresenceId| fabric.presence(id).switch;
        let mut found = match trouble {
            Trouble::Cable(id) => {
                fabric.cable(id).ends.map(|end| fabric.port(end.value).device).to_vec()
            }
            Trouble::Member(id) => {
                let member = fabric.member(id);
                let far = fabric.link(member.port.value).map(|(_, far)| fabric.port(far).device);
                std::iter::once(fabric.lag(member.lag).device).chain(far).collect()
            }
            Trouble::Lag(id) => {
                let lag = fabric.lag(id);
                let ports = lag.members.iter().map(|member| fabric.member(member).port.value);
                let far = ports.filter_map(|port| Some(fabric.port(fabric.link(port)?.1).device));
                std::iter::once(lag.device).chain(far).collect()
            }
            Trouble::Pair(id) => {
                fabric.pair(id).sides.iter().map(|side| side.switch.value).collect()
            }
            Trouble::Adjacency(id) => {
                let adjacency = self.underlay().adjacency(id);
                let ends = [adjacency.near, adjacency.far].map(|end| fabric.interface(end));
                let wires = match ends[0].place {
                    InterfacePlace::Port(port) => fabric.beyond(port).map(|(_, wires)| wires),
                    _ => None,
                };
                let wires = wires.into_iter().flatten().flat_map(|end| {
                    let end = fabric.pseudowire(end);
                    let twin = end.twin.map(|twin| fabric.pseudowire(twin).device);
                    std::iter::once(end.device).chain(twin)
                });
                wires.chain(ends.map(|end| end.device)).collect()
            }
            Trouble::Pseudowire(id) => {
                let end = fabric.pseudowire(id);
                let twin = end.twin.map(|twin| fabric.pseudowire(twin).device);
                std::iter::once(end.device).chain(twin).chain(end.far.value).collect()
            }
            Trouble::Session(id) => {
                let session = fabric.session(id);
                vec![session.device, session.peer]
            }
            Trouble::WayOut { outside, on } => std::iter::once(on)
                .chain(fabric.outside(outside).via.map(|via| via.value))
                .collect(),
            Trouble::Apart { here, there } => vec![at(here), at(there)],
        };
        found.sort_unstable();
        found.dedup();
        found
    }

    /// The switches at both ends of the session that does not bring one VTEP another's routes; all that only pass
    /// them on, where none is known.
    pub(crate) fn ends_that_lose(&self, here: PresenceId, there: PresenceId) -> Vec<DeviceId> {
        let fabric = self.fabric();
        let router = |id: PresenceId| fabric.device(fabric.presence(id).switch).router;
        let (Some(at), Some(origin)) = (router(here), router(there)) else { return Vec::new() };
        let lost = self.routes_lost(Family::Evpn, &[origin], at);
        let ends = lost.map(|(session, _)| {
            let session = fabric.session(session);
            vec![session.device, session.peer]
        });
        ends.unwrap_or_else(|| {
            let devices = fabric.sessions().map(|(_, session)| session.device);
            let mut between: Vec<DeviceId> =
                devices.filter(|&device| fabric.overlay_of(device).is_none()).collect();
            between.dedup();
            between
        })
    }

    /// What a trouble is called: its ends, and what is wrong.
    pub fn trouble_words(&self, trouble: Trouble) -> String {
        let fabric = self.fabric();
        match trouble {
            Trouble::Cable(id) => format!("the cable {} has no link", fabric.cable_words(id)),
            Trouble::Member(id) => {
                let member = fabric.member(id);
                let why = self.why_not(id).unwrap_or_default();
                let (port, lag) =
                    (fabric.port_label(member.port.value), fabric.lag_label(member.lag));
                format!("{port} is not in use in {lag}: {why}")
            }
            Trouble::Lag(id) => {
                let least = fabric.lag(id).min_members.value;
                format!("{} is down: fewer members than the {least} it needs", fabric.lag_label(id))
            }
            Trouble::Pair(id) => {
                let lost = if self.pair(id).peer_link {
                    "keepalives are lost"
                } else {
                    "peer link is down"
                };
                format!("the {lost} of the pair {}", fabric.pair(id).name.value)
            }
            Trouble::Adjacency(id) => {
                let adjacency = self.underlay().adjacency(id);
                let [near, far] =
                    [adjacency.near, adjacency.far].map(|end| fabric.interface_label(end));
                let why = adjacency.fault.map(AdjacencyFault::words).unwrap_or_default();
                format!("{near} and {far} are no neighbours: {why}")
            }
            Trouble::Session(id) => {
                let session = fabric.session(id);
                let [near, far] =
                    [session.device, session.peer].map(|device| fabric.device_name(device));
                let why = self.bgp().session(id).fault.map(SessionFault::words).unwrap_or_default();
                format!("the session of {near} with {far} is down: {why}")
            }
            Trouble::Pseudowire(id) => {
                let why = self.pseudowire(id).sends.err();
                let why = why.map(|why| crate::behaviour::tunnel::words(fabric, id, why));
                let name = fabric.pseudowire_words(id);
                match why {
                    Some(why) => format!("the end {name} is down: {why}"),
                    None => format!("the end {name} sends, and nothing comes back"),
                }
            }
            Trouble::WayOut { outside, on } => {
                let name = &fabric.outside(outside).name.value;
                let why = self.leads_out(outside, on).err().map(NoWayOut::words);
                let on = fabric.device_name(on);
                format!("{on} does not lead to {name}: {}", why.unwrap_or_default())
            }
            Trouble::Apart { here, there } => {
                let name = |id: PresenceId| fabric.device_name(fabric.presence(id).switch);
                let segment = &fabric.segment(fabric.presence(here).segment).name.value;
                let why = self.tunnels(here, there).err().map(Apart::words).unwrap_or_default();
                format!("{} floods {segment} not to {}: {why}", name(here), name(there))
            }
        }
    }

    /// Whether a cable has no link though none of its ends is off, or leads back to its own switch.
    fn is_dead(&self, id: CableId) -> bool {
        let fabric = self.fabric();
        let [near, far] = fabric.cable(id).ends.map(|end| end.value);
        self.causes().claimed(Entity::Cable(id), Aspect::Speed).is_some()
            || self.causes().claimed(Entity::Cable(id), Aspect::Link).is_some()
            || self.plugged(near) != Some(far)
                && fabric.port(near).lanes == 1
                && !is_off(fabric, near)
                && !is_off(fabric, far)
    }

    /// Whether a member is out of use against what is written.
    fn is_idle(&self, id: MemberId) -> bool {
        let outcome = self.member(id);
        match (outcome.state, outcome.reason) {
            (MemberState::Selected, _) => self.why_not(id).is_some(),
            (MemberState::Standby, Reason::Outranked { .. }) => false,
            _ => true,
        }
    }

    fn are_paired(&self, here: PresenceId, there: PresenceId) -> bool {
        let at = |id: PresenceId| self.fabric().presence(id).switch;
        self.fabric().pair_of(at(here), at(there)).is_some()
    }

    /// Whether a VTEP floods to another only in vain, or not at all.
    fn is_left_out(&self, here: PresenceId, there: PresenceId) -> bool {
        self.tunnels(here, there).is_err()
    }
}
