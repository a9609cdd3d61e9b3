//! Which bridges a fabric has, which ports they have, and what joins these.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::bridge::{Bridge, BridgeId, BridgeIdentifier, BridgePort, BridgePortId, Carrier, LanId};
use crate::behaviour::lag::port_number;
use crate::behaviour::lag::{LagOutcome, MemberOutcome, MemberState};
use crate::behaviour::stack::{self, Stacks};
use crate::fabric::{
    Condition, DeviceId, DeviceKind, Fabric, GroupId, LagId, MemberId, PortId, TreePort,
};
use crate::id::{IdVec, Pages};
use crate::value::{BridgePriority, PathCosts, Role, Speed, TreeMode, VlanId, VlanSet};

pub(super) struct Builder<'a> {
    pub(super) fabric: &'a Fabric,
    pub(super) condition: &'a Condition,
    pub(super) far: &'a Pages<PortId, Option<PortId>>,
    pub(super) stacks: &'a Stacks,
    pub(super) members: &'a Pages<MemberId, MemberOutcome>,
    pub(super) lags: &'a Pages<LagId, LagOutcome>,
    pub(super) bridges: IdVec<BridgeId, Bridge>,
    pub(super) ports: IdVec<BridgePortId, BridgePort>,
    pub(super) of_device: IdVec<DeviceId, Option<BridgeId>>,
    /// The bridges that the further parts of split stacks are.
    pub(super) of_part: FxHashMap<(DeviceId, usize), BridgeId>,
    /// The bridge port that each port is, or is part of.
    pub(super) at: IdVec<PortId, Option<BridgePortId>>,
}

impl Builder<'_> {
    pub(super) fn bridges(&mut self) {
        for (id, device) in self.fabric.devices() {
            let routes = device.role.is_some_and(|role| role.value == Role::Router);
            let bridges = device.kind == DeviceKind::Switch && (!routes || device.tree.is_some());
            // A switch that is off is a bridge whose ports have no link; a pair is what is left of it.
            let left_out = || device.pair.is_some() && self.condition.devices.contains(&id);
            if !bridges || left_out() {
                continue;
            }
            let first = device.pair.map(|(pair, _)| self.fabric.pair(pair).sides[0].switch.value);
            if let Some(bridge) = first.and_then(|first| self.of_device[first]) {
                self.bridges[bridge].devices.push(id);
                self.of_device[id] = Some(bridge);
                continue;
            }
            let settings = device.tree.map(|tree| self.fabric.tree_setting(tree));
            let priority = settings.and_then(|settings| settings.priority);
            let mac = match device.pair {
                Some((pair, side)) => self.fabric.pair(pair).sides[side].system_mac,
                None => device.mac.value,
            };
            self.of_device[id] = Some(self.bridges.push(Bridge {
                devices: SmallVec::from_slice(&[id]),
                identifier: BridgeIdentifier {
                    priority: priority.map_or(BridgePriority::DEFAULT, |p| p.value).get(),
                    mac,
                },
                mode: settings.map_or(TreeMode::Rstp, |settings| settings.mode.value),
                settings: device.tree,
                chosen: priority.is_some(),
            }));
            self.further_parts(id);
        }
    }

    /// The bridges that the further parts of a split stack are: as the first, but for the address.
    fn further_parts(&mut self, device: DeviceId) {
        let (Some(stack), Some(first)) = (self.fabric.device(device).stack, self.of_device[device])
        else {
            return;
        };
        for part in 1..self.stacks[stack].parts.len() {
            let mut bridge = self.bridges[first].clone();
            bridge.identifier.mac = stack::mac_of_part(self.fabric, self.stacks, device, part);
            self.of_part.insert((device, part), self.bridges.push(bridge));
        }
    }

    /// The bridge that a port is of.
    fn bridge_at(&self, port: PortId) -> Option<BridgeId> {
        let device = self.fabric.port(port).device;
        match stack::part_of(self.fabric, self.stacks, port) {
            0 => self.of_device[device],
            part => self.of_part.get(&(device, part)).copied(),
        }
    }

    /// The members of a LAG by the part of its switch that they are on.
    fn by_part(&self, lag: LagId) -> SmallVec<[(usize, SmallVec<[MemberId; 4]>); 1]> {
        let members = &self.fabric.lag(lag).members;
        if self.fabric.device(self.fabric.lag(lag).device).stack.is_none() {
            return SmallVec::from_iter(
                (!members.is_empty()).then(|| (0, members.iter().collect())),
            );
        }
        let mut found: SmallVec<[(usize, SmallVec<[MemberId; 4]>); 1]> = SmallVec::new();
        for member in members.iter() {
            let port = self.fabric.member(member).port.value;
            let part = stack::part_of(self.fabric, self.stacks, port);
            match found.iter_mut().find(|(known, _)| *known == part) {
                Some((_, members)) => members.push(member),
                None => found.push((part, SmallVec::from_iter([member]))),
            }
        }
        found
    }

    /// Whether a single port is what a side of a pair has for its peer link.
    fn is_peer_port(&self, port: PortId) -> bool {
        let pair = self.fabric.device(self.fabric.port(port).device).pair;
        pair.is_some_and(|(pair, side)| {
            let named = self.fabric.pair(pair).sides[side].peer_port;
            named.is_some_and(|named| named.value == port)
        })
    }

    pub(super) fn lag_ports(&mut self) {
        let mut of_group: IdVec<GroupId, Option<BridgePortId>> =
            IdVec::filled(&self.fabric.groups, None);
        for (id, lag) in self.fabric.lags() {
            if self.of_device[lag.device].is_none() {
                continue;
            }
            if !is_bridged(self.fabric, id) {
                continue;
            }
            let vlans = vlans(&lag.tagged.value, lag.untagged.map(|vlan| vlan.value));
            for (_, members) in self.by_part(id) {
                self.lag_port(id, &members, &vlans, &mut of_group);
            }
        }
    }

    /// The bridge port that members of a LAG on one part of its switch are.
    fn lag_port(
        &mut self,
        id: LagId,
        members: &[MemberId],
        vlans: &VlanSet,
        of_group: &mut IdVec<GroupId, Option<BridgePortId>>,
    ) {
        let lag = self.fabric.lag(id);
        let physical = |member: MemberId| self.fabric.member(member).port.value;
        let Some(bridge) = members.first().and_then(|&first| self.bridge_at(physical(first)))
        else {
            return;
        };
        // RFC 7432 section 8.5 keeps loops out of an Ethernet segment, not the tree.
        let by_tree = lag.segment.is_none() || lag.group.is_some();
        let known = lag.group.and_then(|group| of_group[group]);
        let together = match known {
            Some(port) => port,
            None => {
                let carrier = lag.group.map_or(Carrier::Lag(id), Carrier::Group);
                let port = self.add(bridge, carrier, physical(members[0]), lag.tree, vlans);
                self.ports[port].runs &= by_tree;
                if let Some(group) = lag.group {
                    of_group[group] = Some(port);
                }
                port
            }
        };
        let in_use = || members.iter().copied().filter(|&member| self.members[member].distributing);
        let (linked, bandwidth) = match members.len() == lag.members.len() {
            true => (self.lags[id].up, self.lags[id].bandwidth),
            false => (
                in_use().next().is_some(),
                Speed::sum(in_use().map(|member| self.fabric.port(physical(member)).speed)),
            ),
        };
        let port = &mut self.ports[together];
        if known.is_some() && port.vlans != *vlans {
            port.vlans = port.vlans.union(vlans);
        }
        port.linked |= linked;
        port.bandwidth = Speed::sum(port.bandwidth.into_iter().chain(bandwidth));
        for &member in members {
            let state = self.members[member].state;
            let physical = self.fabric.member(member).port.value;
            if self.members[member].distributing {
                self.at[physical] = Some(together);
            } else if state == MemberState::Individual {
                let alone = self.add(bridge, Carrier::Port(physical), physical, lag.tree, vlans);
                self.ports[alone].linked = true;
                self.ports[alone].runs &= by_tree;
                self.ports[alone].bandwidth = Some(self.fabric.port(physical).speed);
                self.at[physical] = Some(alone);
            }
        }
    }

    pub(super) fn single_ports(&mut self) {
        let mut settings: Vec<_> = self.fabric.port_settings.iter().collect();
        settings.sort_unstable_by_key(|&(&port, _)| port);
        for (&port, settings) in settings {
            let Some(bridge) = self.bridge_at(port) else { continue };
            let vlans = vlans(&settings.tagged.value, settings.untagged.map(|vlan| vlan.value));
            let routed = !settings.addresses.is_empty();
            let inside = self.fabric.is_stack_port(port) || self.is_peer_port(port);
            if vlans.is_empty() || routed || inside || self.fabric.lag_of(port).is_some() {
                continue;
            }
            let id = self.add(bridge, Carrier::Port(port), port, settings.tree, &vlans);
            self.ports[id].linked = self.far[port].is_some();
            self.ports[id].bandwidth = Some(self.fabric.port(port).speed);
            self.at[port] = Some(id);
        }
    }

    fn add(
        &mut self,
        bridge: BridgeId,
        carrier: Carrier,
        first: PortId,
        tree: TreePort,
        vlans: &VlanSet,
    ) -> BridgePortId {
        let (side, place) = port_number(self.fabric, first);
        // IEEE 802.1Q clause 13.27.46: 12 bits of number; the second side of a pair has the upper half.
        let number = u16::try_from(side * 2048 + place + 1).unwrap_or(u16::MAX);
        let off = self.bridges[bridge].mode == TreeMode::Off;
        self.ports.push(BridgePort {
            bridge,
            carrier,
            number,
            priority: tree.priority.get(),
            cost: tree.cost.map_or(0, |cost| cost.value.get()),
            bandwidth: None,
            vlans: vlans.clone(),
            runs: !off && tree.runs.value,
            linked: false,
            beyond: None,
            lan: None,
        })
    }

    /// What joins the bridge ports. Of a static LAG whose members lead to several ports the first link
    /// counts: BPDUs go out by one member only, and what comes in by one does not leave by another, so
    /// the other ports hear nothing and close no loop.
    pub(super) fn lans(&mut self) -> IdVec<LanId, SmallVec<[BridgePortId; 2]>> {
        let mut lans: IdVec<LanId, SmallVec<[BridgePortId; 2]>> = IdVec::default();
        for (_, repeater) in self.fabric.repeaters() {
            let mut on = SmallVec::new();
            for port in &repeater.ports {
                if crate::behaviour::link::is_up(self.fabric, self.condition, port.value) {
                    on.extend(self.at[port.value]);
                }
            }
            let lan = lans.push(on);
            for index in 0..lans[lan].len() {
                let port = lans[lan][index];
                self.ports[port].lan = Some(lan);
                self.ports[port].linked = true;
            }
        }
        for port in self.fabric.ports.ids() {
            let (Some(near), Some(far)) = (self.at[port], self.far[port].and_then(|f| self.at[f]))
            else {
                continue;
            };
            if near == far {
                continue;
            }
            if self.ports[near].lan.is_some() || self.ports[far].lan.is_some() {
                if self.ports[near].lan.is_none() {
                    self.ports[near].beyond = Some(far);
                }
                continue;
            }
            let lan = lans.push(SmallVec::from_slice(&[near, far]));
            self.ports[near].lan = Some(lan);
            self.ports[far].lan = Some(lan);
        }
        for port in self.ports.ids() {
            let of = &self.ports[port];
            if of.cost == 0 {
                self.ports[port].cost =
                    derived_cost(self.fabric, &self.bridges[of.bridge], of.bandwidth);
            }
        }
        lans
    }
}

/// Whether a LAG is a port of a bridge, or part of one: it carries VLANs, and is not between the two sides of a pair,
/// inside the bridge.
pub(super) fn is_bridged(fabric: &Fabric, lag: LagId) -> bool {
    let made = fabric.lag(lag);
    let is_inside = || {
        let Some((pair, side)) = fabric.device(made.device).pair else { return false };
        let side = &fabric.pair(pair).sides[side];
        [side.peer_link, side.data_link].into_iter().flatten().any(|link| link.value == lag)
    };
    let carries = !made.tagged.value.is_empty() || made.untagged.is_some();
    carries && made.addresses.is_empty() && !is_inside()
}

/// The path cost of a port of a bridge that none is written for: by what it carries.
pub(super) fn derived_cost(fabric: &Fabric, bridge: &Bridge, bandwidth: Option<Speed>) -> u32 {
    let costs =
        bridge.settings.map_or(PathCosts::Long, |tree| fabric.tree_setting(tree).path_costs);
    bandwidth.map_or(200_000_000, |speed| cost(speed, costs))
}

fn vlans(tagged: &VlanSet, untagged: Option<VlanId>) -> VlanSet {
    match untagged {
        Some(vlan) => tagged.union(&vlan.into()),
        None => tagged.clone(),
    }
}

/// The path cost that follows from a port's rate.
fn cost(speed: Speed, costs: PathCosts) -> u32 {
    let megabits = speed.megabits();
    match costs {
        // IEEE 802.1Q table 13-4: 20 000 for 1 Gb/s, in inverse proportion.
        PathCosts::Long => (20_000_000 / megabits.max(1)).max(1),
        PathCosts::Short => short_cost(megabits),
    }
}

/// The costs that IEEE 802.1D-1998 table 8-5 recommends, by megabits per second.
const SHORT: [(u32, u32); 4] = [(10, 100), (100, 19), (1000, 4), (10_000, 2)];

/// A cost of the older table, and 1 beyond its fastest. A rate between two of its rows, as that of a LAG, costs less than
/// the slower and more than the faster: in proportion to the logarithm of the rate, by which the table itself goes.
fn short_cost(megabits: u32) -> u32 {
    let after = SHORT.partition_point(|&(rate, _)| rate < megabits);
    let Some(&(faster, least)) = SHORT.get(after) else { return 1 };
    let Some(&(slower, most)) = after.checked_sub(1).map(|before| &SHORT[before]) else {
        return least;
    };
    if faster == megabits {
        return least;
    }
    let [rate, slower, faster] = [megabits, slower, faster].map(|rate| f64::from(rate).log10());
    let [from, to] = [most, least].map(|cost| f64::from(cost).log10());
    let exact = 10_f64.powf(from + (to - from) * (rate - slower) / (faster - slower));
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "from 2 to 100")]
    let rounded = exact.round() as u32;
    rounded.clamp(least + 1, most - 1)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn short_costs_fall_with_the_rate() {
        let of = |megabits: u32| short_cost(megabits);
        assert_eq!([10, 100, 1000, 10_000].map(of), [100, 19, 4, 2]);
        assert_eq!([1, 20, 200, 400, 900, 2000, 8000].map(of), [100, 61, 12, 7, 5, 3, 3]);
        assert_eq!([25_000, 400_000].map(of), [1, 1]);
    }
}
