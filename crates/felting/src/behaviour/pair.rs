//! What the two sides of a pair know of each other: keepalive, roles, and what they close.
//!
//! There is no standard for multi-chassis LAGs; this is what several makers' have in common. A
//! keepalive sees only physical links, the management network and routed ports outside groups.

use std::net::IpAddr;

use std::collections::BTreeSet;

use rustc_hash::FxHashMap;

use super::carrier::carried;
use super::lag::{LagOutcome, may_refuse};
use crate::fabric::{
    Condition, DeviceId, Fabric, GroupId, Keepalive, Lag, LagId, ManagementId, Pair, PairId,
    PortId, SegmentId,
};
use crate::id::IdVec;
use crate::value::{Activity, PeerLinkLoss};

/// By what the keepalive of one side goes, or why it does not arrive.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum KeepalivePath {
    /// There is none.
    Unwritten,
    /// No management network is written, so it cannot be judged; it is taken to arrive.
    Unjudged,
    /// Over a management network.
    Management(ManagementId),
    /// From one management network to another, over their routers.
    Routed(ManagementId, ManagementId),
    /// Over a routed link between the two, by this port.
    Link(PortId),
    /// Over the peer link itself.
    InBand(InBand),
    /// It does not arrive.
    Broken(KeepaliveFault),
}

/// How a keepalive comes to ride on the peer link.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum InBand {
    /// By an address of the peer link.
    Link(LagId),
    /// In a segment that crosses the peer link.
    Segment(SegmentId),
}

/// Why a keepalive does not arrive.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum KeepaliveFault {
    /// The side does not have the address that it sends from.
    NotOwn,
    /// The other side does not have the address that it sends to.
    NotTheirs,
    /// The addresses are in management networks that no router joins.
    Apart(ManagementId, ManagementId),
    /// The addresses are in another routing table than the keepalive.
    OtherVrf(ManagementId),
    /// The link between them is down.
    LinkDown(PortId),
    /// The keepalive is down while the question is asked.
    Down,
}

impl KeepalivePath {
    /// Whether it arrives while the peer link is as it is.
    pub fn arrives(self, peer_link_up: bool) -> bool {
        match self {
            Self::Unwritten | Self::Broken(_) => false,
            Self::InBand(_) => peer_link_up,
            _ => true,
        }
    }
}

/// Why a side is primary.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum PrimaryReason {
    /// Its priority is the lower.
    Priority,
    /// The priorities are equal, and its MAC address is the lower.
    Address,
    /// The other side is off.
    Alone,
}

/// What became of a pair.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct PairOutcome {
    /// The side that is primary; none if both are off.
    pub primary: Option<usize>,
    /// Why it is.
    pub why: PrimaryReason,
    /// Whether each side is on.
    pub on: [bool; 2],
    /// Whether a cable of the peer link has a link.
    pub peer_link: bool,
    /// The keepalive as each side sends it.
    pub keepalive: [KeepalivePath; 2],
    /// Whether the keepalive arrives both ways.
    pub alive: bool,
    /// The side that closes its group members: the secondary, while the peer link is down and
    /// the keepalive says that the primary lives, if it is to.
    pub closes: Option<usize>,
    /// What the secondary does then.
    pub does: Option<PeerLinkLoss>,
    /// Whether both sides take themselves for the primary: peer link and keepalive are down.
    pub doubled: bool,
}

impl PairOutcome {
    /// What a side is, in a word. Both are primary where neither hears the other.
    pub fn role(&self, side: usize) -> &'static str {
        match self.on[side] {
            false => "off",
            true if self.doubled || self.primary == Some(side) => "primary",
            true => "secondary",
        }
    }
}

/// What became of a multi-chassis LAG.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct GroupOutcome {
    /// Whether the half of each side carries frames.
    pub up: [bool; 2],
    /// The side whose frames for the group cross the peer link, as its own half is down.
    pub crosses: Option<usize>,
}

pub(super) fn outcomes(
    fabric: &Fabric,
    condition: &Condition,
    far: &IdVec<PortId, Option<PortId>>,
    peer_links: &IdVec<PairId, bool>,
) -> IdVec<PairId, PairOutcome> {
    let owners = Owners::of(fabric);
    let outcome = |(id, pair): (PairId, &Pair)| {
        let on = pair.sides.each_ref().map(|side| !condition.devices.contains(&side.switch.value));
        let peer_link = peer_links[id];
        let keepalive = std::array::from_fn(|side| {
            let Some(keepalive) = &pair.sides[side].keepalive else {
                return KeepalivePath::Unwritten;
            };
            if condition.keepalives.contains(&id) || !on[0] || !on[1] {
                return KeepalivePath::Broken(KeepaliveFault::Down);
            }
            owners.path(fabric, pair, side, keepalive, far)
        });
        let alive = keepalive.iter().all(|path| path.arrives(peer_link));
        let rank = |side: usize| {
            let side = &pair.sides[side];
            let device = fabric.device(side.switch.value);
            (side.priority.map_or(u16::MAX, |priority| priority.value), device.mac.value)
        };
        let (primary, why) = match on {
            [true, true] => {
                let why = match rank(0).0 == rank(1).0 {
                    true => PrimaryReason::Address,
                    false => PrimaryReason::Priority,
                };
                (Some(usize::from(rank(1) < rank(0))), why)
            }
            [true, false] => (Some(0), PrimaryReason::Alone),
            [false, true] => (Some(1), PrimaryReason::Alone),
            [false, false] => (None, PrimaryReason::Alone),
        };
        // Without any peer link configured there is none whose loss could be noticed.
        let lost = !peer_link
            && on == [true, true]
            && pair.sides.iter().all(|side| side.peer_link.is_some() || side.peer_port.is_some());
        let secondary = primary.map(|primary| 1 - primary).filter(|_| lost && alive);
        let does = secondary.map(|side| pair.sides[side].secondary);
        PairOutcome {
            primary,
            why,
            on,
            peer_link,
            keepalive,
            alive,
            closes: secondary.filter(|_| does != Some(PeerLinkLoss::Stay)),
            does,
            doubled: lost && !alive,
        }
    };
    IdVec::of(fabric.pairs().map(outcome).collect::<Vec<_>>())
}

/// The ports that a secondary closes: the members of its groups, or all that carry VLANs.
pub(super) fn closed(fabric: &Fabric, outcomes: &IdVec<PairId, PairOutcome>) -> Vec<PortId> {
    let mut ports = Vec::new();
    for (_, group) in fabric.groups() {
        let closes = outcomes[group.pair].closes;
        if let Some(lag) = closes.and_then(|side| group.halves[side]) {
            let members = fabric.lag(lag).members.iter();
            ports.extend(members.map(|member| fabric.member(member).port.value));
        }
    }
    for (id, pair) in fabric.pairs() {
        let Some(side) =
            outcomes[id].closes.filter(|_| outcomes[id].does == Some(PeerLinkLoss::CloseAll))
        else {
            continue;
        };
        let kept = fabric.peer_ports(pair, side);
        let bridges = |&port: &PortId| {
            carried(fabric, port)
                .is_some_and(|(tagged, untagged)| !tagged.is_empty() || untagged.is_some())
        };
        let all = fabric.device(pair.sides[side].switch.value).ports.iter();
        ports.extend(all.filter(bridges).filter(|port| !kept.contains(port)));
    }
    ports
}

/// The switches that have withdrawn the VTEP address of their pair.
pub(super) fn withdrawn(
    fabric: &Fabric,
    outcomes: &IdVec<PairId, PairOutcome>,
) -> BTreeSet<DeviceId> {
    let closes =
        |(id, pair): (PairId, &Pair)| outcomes[id].closes.map(|side| pair.sides[side].switch.value);
    fabric.pairs().filter_map(closes).collect()
}

/// Whether the peer link of each pair carries frames: one of its cables has a link, and the LAG on it is up.
pub(super) fn peer_links(
    fabric: &Fabric,
    far: &IdVec<PortId, Option<PortId>>,
    lags: impl FnOnce() -> IdVec<LagId, LagOutcome>,
) -> IdVec<PairId, bool> {
    let linked = fabric.pairs().map(|(_, pair)| peer_link_up(fabric, pair, far));
    let mut up: IdVec<PairId, bool> = IdVec::of(linked.collect());
    // LAGs whose ends are set alike and need one member only are up with their first link.
    let doubtful: Vec<(PairId, [LagId; 2])> = fabric
        .pairs()
        .filter(|(id, _)| up[*id])
        .filter_map(|(id, pair)| {
            let [Some(a), Some(b)] = pair.sides.each_ref().map(|side| side.peer_link) else {
                return None;
            };
            let (x, y) = (fabric.lag(a.value), fabric.lag(b.value));
            let passive = |lag: &Lag| lag.mode.value == Activity::Passive;
            let sure = x.protocol.value == y.protocol.value
                && !(passive(x) && passive(y))
                && [x, y].iter().all(|lag| lag.min_members.value <= 1 && !may_refuse(fabric, lag));
            (!sure).then_some((id, [a.value, b.value]))
        })
        .collect();
    if !doubtful.is_empty() {
        let lags = lags();
        for (id, ends) in doubtful {
            up[id] = ends.iter().all(|&lag| lags[lag].up);
        }
    }
    up
}

pub(super) fn groups(
    fabric: &Fabric,
    pairs: &IdVec<PairId, PairOutcome>,
    is_up: impl Fn(LagId) -> bool,
) -> IdVec<GroupId, GroupOutcome> {
    let outcome = |group: &crate::fabric::Group| {
        let up = group.halves.map(|half| half.is_some_and(&is_up));
        let pair = &pairs[group.pair];
        let crosses = match up {
            [true, false] => Some(1),
            [false, true] => Some(0),
            _ => None,
        };
        GroupOutcome { up, crosses: crosses.filter(|&side| pair.on[side] && pair.peer_link) }
    };
    IdVec::of(fabric.groups().map(|(_, group)| outcome(group)).collect::<Vec<_>>())
}

fn peer_link_up(fabric: &Fabric, pair: &Pair, far: &IdVec<PortId, Option<PortId>>) -> bool {
    let theirs = fabric.peer_ports(pair, 1);
    fabric
        .peer_ports(pair, 0)
        .into_iter()
        .any(|port| far[port].is_some_and(|end| theirs.contains(&end)))
}

/// Who has which address that a keepalive could use.
struct Owners {
    management: FxHashMap<(DeviceId, IpAddr), ManagementId>,
    ports: FxHashMap<(DeviceId, IpAddr), PortId>,
    lags: FxHashMap<(DeviceId, IpAddr), LagId>,
    /// Whether management networks are written. Without them an address that is nobody's may well be
    /// that of a management port.
    any: bool,
}

impl Owners {
    fn of(fabric: &Fabric) -> Self {
        let mut owners = Self {
            management: FxHashMap::default(),
            ports: FxHashMap::default(),
            lags: FxHashMap::default(),
            any: !fabric.management.is_empty(),
        };
        if fabric.pairs.is_empty() {
            return owners;
        }
        for (id, network) in fabric.management() {
            for (switch, addresses) in &network.switches {
                for address in addresses {
                    owners.management.entry((*switch, address.value)).or_insert(id);
                }
            }
        }
        let mut ports: Vec<_> = fabric.port_settings.iter().collect();
        ports.sort_unstable_by_key(|&(&port, _)| port);
        for (&port, settings) in ports {
            let device = fabric.port(port).device;
            for address in &settings.addresses {
                owners.ports.insert((device, address.address()), port);
            }
        }
        for (id, lag) in fabric.lags() {
            for address in &lag.addresses {
                owners.lags.insert((lag.device, address.address()), id);
            }
        }
        owners
    }

    fn path(
        &self,
        fabric: &Fabric,
        pair: &Pair,
        side: usize,
        keepalive: &Keepalive,
        far: &IdVec<PortId, Option<PortId>>,
    ) -> KeepalivePath {
        let (own, other) = (pair.sides[side].switch.value, pair.sides[1 - side].switch.value);
        let (from, to) = (keepalive.from.value, keepalive.to.value);
        let broken = KeepalivePath::Broken;
        if let Some(&lag) = self.lags.get(&(own, from)) {
            let link = pair.sides[side].peer_link.map(|link| link.value);
            if Some(lag) == link {
                return KeepalivePath::InBand(InBand::Link(lag));
            }
            let members = fabric.lag(lag).members.iter();
            let ports: Vec<_> = members.map(|id| fabric.member(id).port.value).collect();
            return self.over_link(fabric, &ports, other, to, far);
        }
        if let Some(&port) = self.ports.get(&(own, from)) {
            let in_peer_link =
                pair.sides[side].peer_link.filter(|link| fabric.lag_of(port) == Some(link.value));
            if let Some(link) = in_peer_link {
                return KeepalivePath::InBand(InBand::Link(link.value));
            }
            return self.over_link(fabric, &[port], other, to, far);
        }
        if let Some(&near) = self.management.get(&(own, from)) {
            if outside(fabric, near, keepalive) {
                return broken(KeepaliveFault::OtherVrf(near));
            }
            let Some(&end) = self.management.get(&(other, to)) else {
                return broken(KeepaliveFault::NotTheirs);
            };
            if near == end {
                return KeepalivePath::Management(near);
            }
            let routed =
                [near, end].iter().all(|&id| !fabric.management_network(id).gateways.is_empty());
            return match routed {
                true => KeepalivePath::Routed(near, end),
                false => broken(KeepaliveFault::Apart(near, end)),
            };
        }
        if let Some(segment) = crossing(fabric, pair, from) {
            return KeepalivePath::InBand(InBand::Segment(segment));
        }
        if self.any { broken(KeepaliveFault::NotOwn) } else { KeepalivePath::Unjudged }
    }

    /// By routed ports, whose far ends must be the other side and have the address.
    fn over_link(
        &self,
        fabric: &Fabric,
        ports: &[PortId],
        other: DeviceId,
        to: IpAddr,
        far: &IdVec<PortId, Option<PortId>>,
    ) -> KeepalivePath {
        let theirs = self.ports.contains_key(&(other, to)) || self.lags.contains_key(&(other, to));
        if !theirs {
            return KeepalivePath::Broken(KeepaliveFault::NotTheirs);
        }
        let reaches =
            |port: &&PortId| far[**port].is_some_and(|end| fabric.port(end).device == other);
        match (ports.iter().find(reaches), ports.first()) {
            (Some(&port), _) => KeepalivePath::Link(port),
            (None, Some(&port)) => KeepalivePath::Broken(KeepaliveFault::LinkDown(port)),
            (None, None) => KeepalivePath::Broken(KeepaliveFault::NotOwn),
        }
    }
}

fn outside(fabric: &Fabric, network: ManagementId, keepalive: &Keepalive) -> bool {
    let own = fabric.management_network(network).vrf.as_ref().map(|vrf| &vrf.value);
    keepalive.vrf.as_ref().is_some_and(|vrf| Some(&vrf.value) != own)
}

/// A segment whose subnet holds the address and whose VLAN crosses the pair's peer link.
fn crossing(fabric: &Fabric, pair: &Pair, address: IpAddr) -> Option<SegmentId> {
    let link = fabric.lag(pair.sides[0].peer_link?.value);
    let found = fabric.segments().find(|(_, segment)| {
        if !segment.subnets.iter().any(|subnet| subnet.contains(address)) {
            return false;
        }
        segment
            .presences
            .iter()
            .filter_map(|presence| fabric.presence(presence).vlan)
            .any(|vlan| link.tagged.contains(vlan.value))
    });
    found.map(|(id, _)| id)
}
