//! A state under another condition, where all that differs is links of hosts: most losses that anybody asks about.
//!
//! What routers, pairs, stacks and bridges make of each other has nothing to do with these. Anew are the LAGs that hang
//! together with what changes, the ports of bridges at them, and where the hosts' endpoints are attached; all else is
//! what the other state has.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::State;
use crate::behaviour::carrier::Carriers;
use crate::behaviour::cause::{Aspect, Causes, Entity};
use crate::behaviour::{agreement, evpn, lag, pair, tree};
use crate::fabric::{Condition, DeviceId, DeviceKind, InterfacePlace, LagId, PortId};

impl State {
    /// The state under another condition; none if something else than links of hosts may be another then.
    pub(super) fn given_at_hosts(&self, condition: &Condition) -> Option<Self> {
        let fabric = &self.fabric;
        let (links, ports) = self.links.at_hosts(fabric, &self.condition, condition)?;
        let touched: Vec<LagId> = ports.iter().filter_map(|&port| fabric.lag_of(port)).collect();
        let fars = [&self.links.effective, &links.effective];
        let again = lag::hanging_together(fabric, &self.of_lags, fars, &touched)?;
        if !self.are_of_hosts_alone(&ports, &again) || self.any_cause_about(&ports, &again) {
            return None;
        }
        let before = (&self.lags, &self.members);
        let (lags, members) = lag::outcomes_again(
            fabric,
            &links,
            &self.stacks,
            &self.of_lags,
            before,
            &again,
            &self.causes,
        )?;
        let (facing, facing_wholes) = self.facing_again(&lags, &members, &again)?;
        let mut groups = self.groups.clone();
        for group in again.iter().filter_map(|&lag| fabric.lag(lag).group) {
            let made = fabric.group(group);
            groups[group] = pair::group(&self.pairs, made, |lag: LagId| lags[lag].up);
        }
        let change = tree::Change {
            fabric,
            ports: &ports,
            lags: &again,
            members_before: &self.members,
            members: &members,
            lags_now: &lags,
            far: &links.effective,
        };
        let trees = tree::trees_again(&self.trees, &change)?;
        let closed = match again.iter().any(|&lag| fabric.lag(lag).segment.is_some()) {
            true => Arc::new(evpn::Elector { lags: &lags, bgp: &self.routed.bgp }.closed(fabric)),
            false => Arc::clone(&self.closed),
        };
        let device = |port: PortId| fabric.port(port).device;
        let of_lags = again.iter().map(|&lag| fabric.lag(lag).device);
        let hosts: BTreeSet<DeviceId> = ports
            .iter()
            .map(|&port| device(port))
            .chain(of_lags)
            .filter(|&device| fabric.device(device).kind == DeviceKind::Host)
            .collect();
        let evpn = {
            let carriers = Carriers {
                fabric,
                far: &links.effective,
                members: &members,
                stacks: &self.stacks,
                trees: &trees,
                closed: &closed,
            };
            evpn::outcome_again(fabric, &self.evpn, &hosts, &carriers, &self.pairs)
        };
        Some(Self {
            fabric: fabric.clone(),
            causes: self.causes.clone(),
            settings: self.settings.clone(),
            links,
            of_lags: Arc::clone(&self.of_lags),
            lags,
            members,
            pairs: self.pairs.clone(),
            groups,
            stacks: self.stacks.clone(),
            trees,
            routed: Arc::clone(&self.routed),
            evpn,
            closed,
            isolated: self.isolated.clone(),
            withdrawn: self.withdrawn.clone(),
            condition: condition.clone(),
            facing,
            facing_wholes,
        })
    }

    /// Whether some ports and LAGs have nothing to do with what routers, pairs and their peer links are made of.
    fn are_of_hosts_alone(&self, ports: &[PortId], lags: &[LagId]) -> bool {
        let fabric = &self.fabric;
        let devices: BTreeSet<DeviceId> = ports
            .iter()
            .map(|&port| fabric.port(port).device)
            .chain(lags.iter().map(|&lag| fabric.lag(lag).device))
            .collect();
        devices.into_iter().all(|id| {
            let device = fabric.device(id);
            let of_pair = device.pair.is_some_and(|(pair, side)| {
                let pair = fabric.pair(pair);
                let own = &pair.sides[side];
                let named = [own.peer_link, own.data_link].into_iter().flatten();
                named.map(|link| link.value).any(|link| lags.contains(&link))
                    || fabric.peer_ports(pair, side).iter().any(|port| ports.contains(port))
            });
            let is_routed = |place: InterfacePlace| match place {
                InterfacePlace::Port(port) => ports.contains(&port),
                InterfacePlace::Lag(lag) => lags.contains(&lag),
                InterfacePlace::Vlan(_) => false,
            };
            let routed = device.router.is_some_and(|router| {
                let own = fabric.router(router).interfaces.iter();
                own.map(|interface| fabric.interface(interface).place).any(is_routed)
            });
            !of_pair && !routed
        })
    }

    /// Whether any cause has to do with some ports and LAGs: what it is then may depend on more than these.
    fn any_cause_about(&self, ports: &[PortId], lags: &[LagId]) -> bool {
        let fabric = &self.fabric;
        let of_lags = || lags.iter().map(|&lag| fabric.lag(lag));
        let devices: BTreeSet<DeviceId> = of_lags().map(|lag| lag.device).collect();
        let pairs: BTreeSet<_> =
            of_lags().filter_map(|lag| lag.group).map(|group| fabric.group(group).pair).collect();
        self.causes.any_about(|entity, aspect| match entity {
            Entity::Port(port) => {
                ports.contains(&port) || fabric.lag_of(port).is_some_and(|lag| lags.contains(&lag))
            }
            Entity::Cable(cable) => {
                fabric.cable(cable).ends.iter().any(|end| ports.contains(&end.value))
            }
            Entity::Lag(lag) => lags.contains(&lag),
            Entity::Group(group) => of_lags().any(|lag| lag.group == Some(group)),
            Entity::EthernetSegment(segment) => of_lags().any(|lag| lag.segment == Some(segment)),
            Entity::Pair(pair) => pairs.contains(&pair),
            Entity::Device(device) => aspect == Aspect::Mac && devices.contains(&device),
            _ => false,
        })
    }

    /// Which LAG ends face each other, with some selected anew; none if that is a cause of something, or may be.
    #[allow(clippy::type_complexity, reason = "the two that a state has")]
    fn facing_again(
        &self,
        lags: &lag::Lags,
        members: &lag::Members,
        again: &[LagId],
    ) -> Option<(Arc<Vec<(LagId, LagId)>>, Arc<Vec<(LagId, LagId)>>)> {
        let fabric = &self.fabric;
        let facing = lag::facing_of(fabric, members, lags, again.iter().copied());
        let range = |all: &[(LagId, LagId)], lag: LagId| {
            let first = all.partition_point(|&(one, _)| one < lag);
            first..first + all[first..].iter().take_while(|&&(one, _)| one == lag).count()
        };
        let before: Vec<(LagId, LagId)> = again
            .iter()
            .flat_map(|&lag| self.facing[range(&self.facing, lag)].iter().copied())
            .collect();
        if facing == before {
            return Some((Arc::clone(&self.facing), Arc::clone(&self.facing_wholes)));
        }
        if facing.iter().any(|ends| !before.contains(ends)) {
            return None;
        }
        let mut scratch = Causes::default();
        agreement::layers(fabric, &facing, &mut scratch);
        if scratch.iter().next().is_some() {
            return None;
        }
        let with = |all: &[(LagId, LagId)], own: Vec<(LagId, LagId)>| {
            let mut all: Vec<(LagId, LagId)> = all.to_vec();
            for &lag in again {
                all.drain(range(&all, lag));
            }
            for ends in own {
                let place = all.partition_point(|known| *known < ends);
                all.insert(place, ends);
            }
            Arc::new(all)
        };
        let wholes = lag::facing_wholes(fabric, &facing);
        Some((with(&self.facing, facing), with(&self.facing_wholes, wholes)))
    }
}

#[cfg(all(test, feature = "generator"))]
mod tests {
    use super::*;
    use crate::fabric::Fabric;
    use crate::progress::Progress;
    use crate::scaffold::Scaffold;

    /// That the state is the one made anew is held elsewhere; here, that it is not made anew.
    #[test]
    fn links_of_hosts_touch_nothing_else() {
        let plan = Scaffold { pairs: 2, hosts: 4, segments: 2, ..Scaffold::default() };
        let fabric = Fabric::from_text("f.toml", &plan.to_toml().unwrap());
        let none = Condition::default();
        let whole = State::of(&fabric, &none, &Progress::default());
        let is_host = |end: PortId| fabric.device(fabric.port(end).device).kind == DeviceKind::Host;
        for (id, cable) in fabric.cables() {
            let of_host = cable.ends.iter().any(|end| is_host(end.value));
            let given = whole.given_at_hosts(&none.clone().cable(id));
            assert_eq!(given.is_some(), of_host, "{}", fabric.cable_words(id));
        }
        for (id, device) in fabric.devices() {
            let given = whole.given_at_hosts(&none.clone().device(id));
            assert_eq!(given.is_some(), device.kind == DeviceKind::Host, "{}", device.name.value);
        }
    }
}
