//! A state under another condition, where all that differs is links that no bridge sees another by: those of hosts, and
//! routed ones.
//!
//! What pairs, stacks and bridges make of each other has nothing to do with these. Anew are the LAGs that hang together
//! with what changes, the ports of bridges at them, where the hosts' endpoints are attached, and what routers make of
//! the links that are gone or back; all else is what the other state has.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::{Routed, STEPS_BENEATH_ROUTES, State};
use crate::behaviour::bgp::{Asked, Bgp};
use crate::behaviour::carrier::Carriers;
use crate::behaviour::cause::{Aspect, Causes, Entity};
use crate::behaviour::keepalive::{KeepaliveFault, KeepalivePath};
use crate::behaviour::link::{self, Links};
use crate::behaviour::loopbacks::Sought;
use crate::behaviour::underlay::{self, Again, Beneath};
use crate::behaviour::{agreement, evpn, lag, pair, tree};
use crate::fabric::{Condition, DeviceId, DeviceKind, InterfaceId, InterfacePlace, LagId, PortId};
use crate::id::{IdVec, Later};
use crate::value::IsolatedBy;

impl State {
    /// The state under another condition; none if something else may be another then, or what is has to do with causes.
    pub(super) fn again(&self, condition: &Condition) -> Option<Self> {
        let fabric = &self.fabric;
        // Wires hang on routes. Where no route leads over a wire, that is all.
        if fabric.wires_lead {
            return None;
        }
        let (links, ports) = self.links.at_edges(fabric, &self.condition, condition)?;
        let is_at_wire = |&port: &PortId| {
            fabric.pseudowire_at(port).is_some() || !self.wires().over(port).is_empty()
        };
        if ports.iter().any(is_at_wire) {
            return None;
        }
        let touched: Vec<LagId> = ports.iter().filter_map(|&port| fabric.lag_of(port)).collect();
        let fars = [&self.links.effective, &links.effective];
        let again = lag::hanging_together(fabric, &self.of_lags, fars, &touched)?;
        if self.are_of_peer_links(&ports, &again) || self.any_cause_about(&ports, &again) {
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
        let interfaces = self.interfaces_at(&ports, &again);
        if ports.iter().any(|&port| link::is_routed(fabric, port))
            && !self.keeps_what_closes(condition, &links)
        {
            return None;
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
        let mut causes = self.causes.up_to(STEPS_BENEATH_ROUTES);
        let beneath = Beneath { far: &links.effective, lags: &lags };
        let routed = self.routed_again(&beneath, &interfaces, &mut causes)?;
        let of_segments = again.iter().any(|&lag| fabric.lag(lag).segment.is_some());
        let elected_alike =
            Arc::ptr_eq(&routed.bgp, &self.routed.bgp) || fabric.ethernet_segments.is_empty();
        let closed = match of_segments || !elected_alike {
            true => Arc::new(evpn::Elector { lags: &lags, bgp: &routed.bgp }.closed(fabric)),
            false => Arc::clone(&self.closed),
        };
        let carriers = Carriers {
            fabric,
            far: &links.effective,
            members: &members,
            stacks: &self.stacks,
            trees: &trees,
            closed: &closed,
        };
        let evpn = match elected_alike {
            true => {
                let hosts = self.hosts_at(&ports, &again);
                evpn::outcome_again(fabric, &self.evpn, &hosts, &carriers, &self.pairs)
            }
            false => {
                let instances = Some(self.evpn.instances());
                evpn::outcome(fabric, condition, instances, &carriers, &self.pairs)
            }
        };
        let state = Self {
            fabric: fabric.clone(),
            causes,
            settings: self.settings.clone(),
            links,
            of_lags: Arc::clone(&self.of_lags),
            lags,
            members,
            pairs: self.pairs.clone(),
            groups,
            stacks: self.stacks.clone(),
            trees,
            routed,
            evpn,
            closed,
            isolated: self.isolated.clone(),
            withdrawn: self.withdrawn.clone(),
            wires: Arc::clone(&self.wires),
            condition: condition.clone(),
            facing,
            facing_wholes,
        };
        state.with_wires_as(self)
    }

    /// The hosts at some ports and LAGs.
    fn hosts_at(&self, ports: &[PortId], lags: &[LagId]) -> BTreeSet<DeviceId> {
        let fabric = &self.fabric;
        let of_ports = ports.iter().map(|&port| fabric.port(port).device);
        let all = of_ports.chain(lags.iter().map(|&lag| fabric.lag(lag).device));
        all.filter(|&device| fabric.device(device).kind == DeviceKind::Host).collect()
    }

    /// The routed interfaces on some ports and LAGs, in order.
    fn interfaces_at(&self, ports: &[PortId], lags: &[LagId]) -> Vec<InterfaceId> {
        let fabric = &self.fabric;
        let of_ports =
            ports.iter().map(|&port| (fabric.port(port).device, InterfacePlace::Port(port)));
        let of_lags = lags.iter().map(|&lag| (fabric.lag(lag).device, InterfacePlace::Lag(lag)));
        let mut found: Vec<InterfaceId> = of_ports
            .chain(of_lags)
            .filter_map(|(device, place)| Some((fabric.router_of(device)?, place)))
            .flat_map(|(router, place)| fabric.interfaces_at(router, place))
            .collect();
        found.sort_unstable();
        found
    }

    /// Whether some ports and LAGs have to do with what the sides of a pair are joined by.
    fn are_of_peer_links(&self, ports: &[PortId], lags: &[LagId]) -> bool {
        let fabric = &self.fabric;
        let of_ports = ports.iter().map(|&port| fabric.port(port).device);
        let devices: BTreeSet<DeviceId> =
            of_ports.chain(lags.iter().map(|&lag| fabric.lag(lag).device)).collect();
        let pairs = devices.iter().filter_map(|&id| fabric.device(id).pair);
        pairs.into_iter().any(|(pair, side)| {
            let pair = fabric.pair(pair);
            let own = &pair.sides[side];
            let named = [own.peer_link, own.data_link].into_iter().flatten();
            named.map(|link| link.value).any(|link| lags.contains(&link))
                || fabric.peer_ports(pair, side).iter().any(|port| ports.contains(port))
        })
    }

    /// Whether pairs and leaves close what they did, with other links up: keepalives may go over these, and who has lost
    /// all of them may close its legs of Ethernet segments.
    fn keeps_what_closes(&self, condition: &Condition, links: &Links) -> bool {
        let fabric = &self.fabric;
        let goes_over_links = |path: &KeepalivePath| {
            use KeepaliveFault::{LinkDown, NoRoute};
            use KeepalivePath::{Broken, InBand, Link, Underlay};
            matches!(path, Link(_) | Underlay | InBand(_) | Broken(LinkDown(_) | NoRoute))
        };
        if self.pairs.values().any(|pair| pair.keepalive.iter().any(goes_over_links)) {
            let peer_links = self.pairs.values().map(|pair| pair.peer_link);
            let peer_links = IdVec::of(peer_links.collect());
            if pair::outcomes(fabric, condition, &links.effective, &peer_links) != self.pairs {
                return false;
            }
        }
        let mut closing = fabric.overlays.values().filter(|overlay| overlay.core_isolation.value);
        closing.all(|overlay| overlay.isolated_by == IsolatedBy::Links)
            && underlay::isolated(fabric, &links.effective, BTreeSet::new).0 == self.isolated
    }

    /// What routers make of the links under some interfaces; none if that has causes, or may have.
    fn routed_again(
        &self,
        beneath: &Beneath<'_>,
        interfaces: &[InterfaceId],
        causes: &mut Causes,
    ) -> Option<Arc<Routed>> {
        let fabric = &self.fabric;
        let before = &self.routed;
        let again = underlay::again(
            fabric,
            &before.underlay,
            beneath,
            interfaces,
            &self.withdrawn,
            &self.causes,
        )?;
        if again.adjacencies.is_empty() {
            before.causes.iter().cloned().for_each(|found| causes.take_over(found));
            return Some(Arc::clone(before));
        }
        let Again { mut underlay, adjacencies, prefixes, joins_others } = again;
        underlay.bgp = Bgp::over_links_again(fabric, &underlay, &adjacencies, &self.causes)?;
        causes.take_over(before.causes[0].clone());
        let sought = Arc::clone(&before.sought);
        let led_alike = !joins_others
            && Arc::ptr_eq(&underlay.bgp, &before.underlay.bgp)
            && fabric.static_routes.iter().all(|route| route.vrf.is_some());
        let underlay = Arc::new(underlay);
        if led_alike && !sought.or(|| Sought::of(fabric)).may_change(&prefixes) {
            causes.take_over(before.causes[1].clone());
            let (bgp, causes) = (Arc::clone(&before.bgp), before.causes.clone());
            let views = before.views.clone();
            return Some(Arc::new(Routed { underlay, views, sought, bgp, causes }));
        }
        causes.begin();
        let bgp = Arc::new(Bgp::over_all(fabric, &underlay, Asked::Little, causes));
        let causes = [before.causes[0].clone(), causes.found()];
        Some(Arc::new(Routed { underlay, views: Later::default(), sought, bgp, causes }))
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
    fn links_of_hosts_and_routed_ones_leave_the_rest() {
        let plan = Scaffold { pairs: 2, hosts: 4, segments: 2, ..Scaffold::default() };
        let fabric = Fabric::from_text("f.toml", &plan.to_toml().unwrap());
        let none = Condition::default();
        let whole = State::of(&fabric, &none, &Progress::default());
        let in_pair = |end: PortId| fabric.device(fabric.port(end).device).pair;
        for (id, cable) in fabric.cables() {
            let [one, other] = cable.ends.map(|end| in_pair(end.value));
            let inside = one.is_some() && one.map(|(pair, _)| pair) == other.map(|(pair, _)| pair);
            let given = whole.again(&none.clone().cable(id));
            assert_eq!(given.is_some(), !inside, "{}", fabric.cable_words(id));
            let shared =
                given.is_none_or(|given| Arc::ptr_eq(&given.routed.bgp, &whole.routed.bgp));
            assert!(shared, "sessions between loopbacks stay: {}", fabric.cable_words(id));
        }
        for (id, device) in fabric.devices() {
            let given = whole.again(&none.clone().device(id));
            assert_eq!(given.is_some(), device.pair.is_none(), "{}", device.name.value);
        }
    }
}
