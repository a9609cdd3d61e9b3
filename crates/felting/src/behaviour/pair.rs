//! What the two sides of a pair know of each other: keepalive, roles, and what they close.
//!
//! There is no standard for multi-chassis LAGs; this is what several makers' have in common.

use std::collections::BTreeSet;

use super::carrier::carried;
use super::keepalive::{KeepaliveFault, KeepalivePath, Owners};
use super::lag::{LagOutcome, may_refuse};
use crate::fabric::{
    Condition, DeviceId, Fabric, Group, GroupId, Lag, LagId, Pair, PairId, PortId,
};
use crate::id::{IdVec, Pages};
use crate::value::{Activity, PeerLinkLoss};

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
    far: &Pages<PortId, Option<PortId>>,
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
    far: &Pages<PortId, Option<PortId>>,
    lags: impl FnOnce() -> Pages<LagId, LagOutcome>,
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
                && x.group.is_none()
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
) -> Pages<GroupId, GroupOutcome> {
    Pages::of(fabric.groups().map(|(_, made)| group(pairs, made, &is_up)))
}

/// What becomes of one group.
pub(super) fn group(
    pairs: &IdVec<PairId, PairOutcome>,
    group: &Group,
    is_up: impl Fn(LagId) -> bool,
) -> GroupOutcome {
    let up = group.halves.map(|half| half.is_some_and(&is_up));
    let pair = &pairs[group.pair];
    let crosses = match up {
        [true, false] => Some(1),
        [false, true] => Some(0),
        _ => None,
    };
    GroupOutcome { up, crosses: crosses.filter(|&side| pair.on[side] && pair.peer_link) }
}

fn peer_link_up(fabric: &Fabric, pair: &Pair, far: &Pages<PortId, Option<PortId>>) -> bool {
    let theirs = fabric.peer_ports(pair, 1);
    fabric
        .peer_ports(pair, 0)
        .into_iter()
        .any(|port| far[port].is_some_and(|end| theirs.contains(&end)))
}
