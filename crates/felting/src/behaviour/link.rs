//! Which ports have a link: by what is plugged in and switched on, and after what stacks, pairs and leaves close.

use rustc_hash::FxHashMap;

use super::carrier::carried;
use super::cause::{Aspect, Causes, Entity};
use crate::fabric::{Condition, DeviceKind, Fabric, InterfacePlace, Port, PortId};
use crate::id::Pages;

/// The far port of each port that has a link.
pub(crate) type Far = Pages<PortId, Option<PortId>>;

/// Why a device closed a port that would have a link.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ClosedBy {
    /// It is of a part of a stack that is off, or gave way to another.
    Stack,
    /// It is of the secondary of a pair whose peer link is lost.
    Pair,
    /// It is a leg of an Ethernet segment, on a leaf that has lost its underlay.
    Isolation,
}

/// The links of a fabric.
#[derive(Clone, Debug)]
pub(crate) struct Links {
    /// Those that are up, but for those that devices have closed.
    pub(crate) effective: Far,
    /// Who closed a port.
    pub(crate) why: FxHashMap<PortId, ClosedBy>,
}

impl Links {
    fn new(far: Far) -> Self {
        Self { effective: far, why: FxHashMap::default() }
    }

    /// The links without those of some ports, which a device closes.
    pub(super) fn without(
        mut self,
        ports: impl IntoIterator<Item = PortId>,
        why: ClosedBy,
    ) -> Self {
        for port in ports {
            self.why.entry(port).or_insert(why);
            let Some(end) = self.effective[port] else { continue };
            self.effective[port] = None;
            self.effective[end] = None;
        }
        self
    }

    /// The links under another condition, if all that changes is links that no bridge sees another bridge by: of hosts,
    /// and routed ones between switches; with the ports at these. None if something else may change with them.
    pub(super) fn at_edges(
        &self,
        fabric: &Fabric,
        now: &Condition,
        then: &Condition,
    ) -> Option<(Self, Vec<PortId>)> {
        let mut ports = now.ports_unlike(fabric, then)?;
        let kind = |port: PortId| fabric.device(fabric.port(port).device).kind;
        // What has no cable may lead to a WAN, or to a network outside.
        let is_loose = |port: &PortId| fabric.link(*port).is_none();
        let leads_out = |port: PortId| {
            let router = fabric.router_of(fabric.port(port).device);
            let place = fabric.lag_of(port).map_or(InterfacePlace::Port(port), InterfacePlace::Lag);
            router.is_some_and(|router| fabric.interfaces_at(router, place).next().is_some())
                || fabric.wans().any(|(_, wan)| wan.ends.iter().any(|end| end.value == port))
        };
        if ports.iter().any(|port| is_loose(port) && leads_out(*port)) {
            return None;
        }
        ports.retain(|port| !is_loose(port));
        let fars: Vec<PortId> =
            ports.iter().filter_map(|&port| Some(fabric.link(port)?.1)).collect();
        ports.extend(fars);
        ports.sort_unstable();
        ports.dedup();
        let is_shared = |port: PortId| {
            fabric.repeaters().any(|(_, one)| one.ports.iter().any(|at| at.value == port))
        };
        let is_plain = |&port: &PortId| {
            let Some((_, far)) = fabric.link(port) else { return false };
            let alike = |a: &Port, b: &Port| rates_agree(a, b) && a.duplex == b.duplex;
            let of_host = (kind(port) == DeviceKind::Host) != (kind(far) == DeviceKind::Host);
            (of_host || (is_routed(fabric, port) && is_routed(fabric, far)))
                && alike(fabric.port(port), fabric.port(far))
                && !fabric.is_stack_port(port)
                && !is_shared(port)
                && !self.why.contains_key(&port)
        };
        if !ports.iter().all(is_plain) {
            return None;
        }
        let (mut links, mut scratch) = (self.clone(), Causes::default());
        for &port in &ports {
            links.effective[port] = link(fabric, then, port, &mut scratch);
        }
        Some((links, ports))
    }
}

/// Whether a port is a switch's that carries no VLAN, so that no frame is bridged by it.
pub(super) fn is_routed(fabric: &Fabric, port: PortId) -> bool {
    fabric.device(fabric.port(port).device).kind == DeviceKind::Switch
        && carried(fabric, port)
            .is_none_or(|(tagged, untagged)| tagged.is_empty() && untagged.is_none())
}

/// The links that are up by themselves.
pub(super) fn links(fabric: &Fabric, condition: &Condition, causes: &mut Causes) -> Links {
    for &(port, first, further) in &fabric.replugged {
        let (entity, other) = (Entity::Cable(further), Some(Entity::Cable(first)));
        let cause = causes.add("cable-port-reused", entity, Aspect::Link, other);
        causes.claim(cause, Entity::Port(port), Aspect::Link);
        for end in &fabric.cable(further).ends {
            causes.claim(cause, Entity::Port(end.value), Aspect::Link);
        }
    }
    for (_, member) in fabric.members() {
        if let Some(first) = member.taken_by {
            let port = Entity::Port(member.port.value);
            let owner = Entity::Lag(fabric.member(first).lag);
            let cause = causes.add("lag-member-shared", port, Aspect::Membership, Some(owner));
            causes.claim(cause, Entity::Lag(member.lag), Aspect::Membership);
            causes.claim(cause, owner, Aspect::Membership);
        }
    }
    for (id, cable) in fabric.cables() {
        let [a, b] = cable.ends.map(|end| end.value);
        let meant = cable.loopback || (fabric.is_stack_port(a) && fabric.is_stack_port(b));
        if a != b && fabric.port(a).device == fabric.port(b).device && !meant {
            let cause = causes.add("cable-loop", Entity::Cable(id), Aspect::Link, None);
            causes.claim(cause, Entity::Port(a), Aspect::Link);
            causes.claim(cause, Entity::Port(b), Aspect::Link);
        }
    }
    stack_ports(fabric, causes);
    switched_off(fabric, causes);
    Links::new(Far::of(fabric.ports.ids().map(|port| link(fabric, condition, port, causes))))
}

/// Finds stack ports that are set up as if they carried data. What a LAG makes of one is the same
/// fault.
fn stack_ports(fabric: &Fabric, causes: &mut Causes) {
    for (_, stack) in fabric.stacks() {
        for &port in stack.members.iter().flat_map(|member| &member.stack_ports) {
            let carries = fabric
                .settings_of(port)
                .is_some_and(|settings| !settings.tagged.is_empty() || settings.untagged.is_some());
            if carries || fabric.port_member[port].is_some() {
                causes.add("stack-port-carries-data", Entity::Port(port), Aspect::Link, None);
            }
        }
    }
}

/// Finds ports that are switched off though something hangs on them.
fn switched_off(fabric: &Fabric, causes: &mut Causes) {
    let mut ports: Vec<PortId> =
        fabric.port_settings.keys().copied().filter(|&port| is_off(fabric, port)).collect();
    ports.sort_unstable();
    for port in ports {
        let far = fabric.link(port).map(|(_, far)| far);
        // Both ends off is no contradiction: the link is out of use.
        let in_use = match far {
            Some(far) => !is_off(fabric, far),
            None => fabric.port_member[port].is_some(),
        };
        if in_use {
            let other = far.map(Entity::Port);
            let cause = causes.add("port-down-in-use", Entity::Port(port), Aspect::Link, other);
            if let Some(far) = far {
                causes.claim(cause, Entity::Port(far), Aspect::Link);
            }
        }
    }
}

/// Whether a port is switched off.
pub(super) fn is_off(fabric: &Fabric, port: PortId) -> bool {
    fabric.settings_of(port).is_some_and(|settings| !settings.enabled.value)
}

/// Whether nothing stands in the place of the stack member that a port is on.
fn is_missing(fabric: &Fabric, port: PortId) -> bool {
    fabric.stack_member(port).is_some_and(|member| member.absent.is_some())
}

/// Whether a port takes part in what it is plugged into: on, there, and not cut off.
pub(super) fn is_up(fabric: &Fabric, condition: &Condition, port: PortId) -> bool {
    !is_off(fabric, port) && !is_missing(fabric, port) && !condition.holds_port_down(fabric, port)
}

fn link(
    fabric: &Fabric,
    condition: &Condition,
    port: PortId,
    causes: &mut Causes,
) -> Option<PortId> {
    let (cable, far) = fabric.link(port)?;
    // A cable in a port that another cable holds carries nothing.
    if fabric.link(far).is_none_or(|(back, _)| back != cable) || far == port {
        return None;
    }
    if condition.holds_down(fabric, port, cable) || condition.holds_down(fabric, far, cable) {
        return None;
    }
    let off = |port| is_off(fabric, port) || is_missing(fabric, port);
    if off(port) || off(far) {
        return None;
    }
    let (a, b) = (fabric.port(port), fabric.port(far));
    // IEEE 802.3 clauses 28 and 73: both ends of a link run one rate over the same lanes. Where only the duplex modes
    // differ, the link comes up all the same.
    if !rates_agree(a, b) || a.duplex != b.duplex {
        causes.add("cable-speed-clash", Entity::Cable(cable), Aspect::Speed, None);
    }
    rates_agree(a, b).then_some(far)
}

/// Whether two ports run one rate over the same lanes, so that a link between them comes up.
pub(crate) fn rates_agree(a: &Port, b: &Port) -> bool {
    (a.speed, a.lanes) == (b.speed, b.lanes)
}
