//! The trees under another condition, where all that changes is at ports that lead to no other bridge.

use super::bridge::{BridgePortId, Carrier};
use super::bridges::{derived_cost, is_bridged};
use super::role::{PortRole, TreeReason};
use super::trees::Trees;
use crate::behaviour::lag::{Lags, MemberState, Members};
use crate::behaviour::link::Far;
use crate::fabric::{DeviceKind, Fabric, LagId, PortId};
use crate::value::Speed;

/// What the trees are made of, before and after.
pub(in crate::behaviour) struct Change<'a> {
    pub(in crate::behaviour) fabric: &'a Fabric,
    /// The ports whose links may be others.
    pub(in crate::behaviour) ports: &'a [PortId],
    /// The LAGs that were selected anew.
    pub(in crate::behaviour) lags: &'a [LagId],
    pub(in crate::behaviour) members_before: &'a Members,
    pub(in crate::behaviour) members: &'a Members,
    pub(in crate::behaviour) lags_now: &'a Lags,
    pub(in crate::behaviour) far: &'a Far,
}

/// The trees after a change at ports of switches that lead to hosts; none if bridges may see it.
///
/// A port that leads to no other bridge is in nobody's way (IEEE 802.1Q clause 13.12: it is designated, or disabled):
/// whether it has a link changes no other port's role.
pub(in crate::behaviour) fn trees_again(before: &Trees, change: &Change<'_>) -> Option<Trees> {
    let fabric = change.fabric;
    let mut trees = before.clone();
    for &lag in change.lags {
        let made = fabric.lag(lag);
        let device = fabric.device(made.device);
        if device.kind == DeviceKind::Host {
            continue;
        }
        if device.stack.is_some() {
            return None;
        }
        if before.of_device[made.device].is_none() || !is_bridged(fabric, lag) {
            continue;
        }
        let bridge_port = change.port_of(before, lag)?;
        for id in made.members.iter() {
            let now = &change.members[id];
            let alone = [now, &change.members_before[id]];
            if alone.iter().any(|member| member.state == MemberState::Individual) {
                return None;
            }
            let port = fabric.member(id).port.value;
            trees.at[port] = now.distributing.then_some(bridge_port);
        }
        let halves: Vec<LagId> = change.halves(before.ports[bridge_port].carrier);
        let linked = halves.iter().any(|&half| change.lags_now[half].up);
        let bandwidth =
            Speed::sum(halves.iter().filter_map(|&half| change.lags_now[half].bandwidth));
        trees.set(bridge_port, linked)?;
        trees.ports[bridge_port].bandwidth = bandwidth;
        if fabric.lag(*halves.first()?).tree.cost.is_none() {
            let bridge = &before.bridges[before.ports[bridge_port].bridge];
            trees.ports[bridge_port].cost = derived_cost(fabric, bridge, bandwidth);
        }
    }
    for &port in change.ports {
        if fabric.lag_of(port).is_some() || fabric.settings_of(port).is_none() {
            continue;
        }
        if let Some(bridge_port) = before.at[port] {
            trees.set(bridge_port, change.far[port].is_some())?;
        }
    }
    Some(trees)
}

impl Change<'_> {
    /// The bridge port that a LAG was, or was part of, if one of its members was in use.
    fn port_of(&self, before: &Trees, lag: LagId) -> Option<BridgePortId> {
        let of = |lag: LagId| {
            let mut members = self.fabric.lag(lag).members.iter();
            members.find_map(|id| before.at[self.fabric.member(id).port.value])
        };
        let group = self.fabric.lag(lag).group;
        let others = group.map(|group| self.fabric.group(group).halves);
        of(lag).or_else(|| others?.into_iter().flatten().find_map(of))
    }

    /// The LAGs that carry a bridge port's frames, in order.
    fn halves(&self, carrier: Carrier) -> Vec<LagId> {
        let mut halves: Vec<LagId> = match carrier {
            Carrier::Port(_) => Vec::new(),
            Carrier::Lag(lag) => vec![lag],
            Carrier::Group(group) => {
                self.fabric.group(group).halves.into_iter().flatten().collect()
            }
        };
        halves.retain(|&half| is_bridged(self.fabric, half));
        halves.sort_unstable();
        halves
    }
}

impl Trees {
    /// Sets whether a port has a link; none if bridges may see it.
    fn set(&mut self, port: BridgePortId, linked: bool) -> Option<()> {
        let of = &self.ports[port];
        if of.lan.is_some() || of.beyond.is_some() {
            return None;
        }
        if of.linked != linked {
            // Which role a port comes up in its bridge knows, and instances have each their own.
            if linked || self.all.len() > 1 {
                return None;
            }
            let bridge = of.bridge;
            if of.runs {
                // One that no port is left of is in no tree.
                if self.taking_part[bridge] == 1 {
                    return None;
                }
                self.taking_part[bridge] -= 1;
            }
            self.common[port] = (PortRole::Disabled, TreeReason::NoLink);
            self.ports[port].linked = false;
        }
        Some(())
    }
}
