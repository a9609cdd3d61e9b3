//! By what the keepalive of a pair goes: it is judged before anything that could depend on it, on physical links, the
//! management network, and routed links; with the peer link taken away, whatever carries it.

use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};

use super::underlay::adjacency::{self, AdjacencyFault};
use crate::fabric::{
    DeviceId, Fabric, Interface, InterfaceId, Keepalive, LagId, ManagementId, Pair, PortId,
    RouterId, SegmentId,
};
use crate::id::Pages;
use crate::value::UnderlayProtocol;

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
    /// As routes lead from switch to switch, whatever becomes of the peer link.
    Underlay,
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
    /// As routes lead, all of which cross the peer link.
    Routes,
}

/// Why a keepalive does not arrive.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum KeepaliveFault {
    /// It goes to the address that it comes from: the side answers itself.
    Itself,
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
    /// No routed link leads from the one to the other.
    NoRoute,
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

/// Who has which address that a keepalive could use.
pub(super) struct Owners {
    management: FxHashMap<(DeviceId, IpAddr), ManagementId>,
    ports: FxHashMap<(DeviceId, IpAddr), PortId>,
    lags: FxHashMap<(DeviceId, IpAddr), LagId>,
    /// Whether management networks are written. Without them an address that is nobody's may well be
    /// that of a management port.
    any: bool,
}

impl Owners {
    pub(super) fn of(fabric: &Fabric) -> Self {
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

    pub(super) fn path(
        &self,
        fabric: &Fabric,
        pair: &Pair,
        side: usize,
        keepalive: &Keepalive,
        far: &Pages<PortId, Option<PortId>>,
    ) -> KeepalivePath {
        let (own, other) = (pair.sides[side].switch.value, pair.sides[1 - side].switch.value);
        let (from, to) = (keepalive.from.value, keepalive.to.value);
        let broken = KeepalivePath::Broken;
        if from == to {
            return broken(KeepaliveFault::Itself);
        }
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
        if let Some(path) = over_routes(fabric, pair, side, keepalive, far) {
            return path;
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
        far: &Pages<PortId, Option<PortId>>,
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

/// As routes lead, where the keepalive is between addresses of the switches as routers: loopbacks, routed VLANs.
fn over_routes(
    fabric: &Fabric,
    pair: &Pair,
    side: usize,
    keepalive: &Keepalive,
    far: &Pages<PortId, Option<PortId>>,
) -> Option<KeepalivePath> {
    let router = |side: usize| fabric.device(pair.sides[side].switch.value).router;
    let near = router(side)?;
    let (from, to) = (keepalive.from.value, keepalive.to.value);
    if keepalive.vrf.is_some() || !fabric.has_address(near, from) {
        return None;
    }
    let Some(end) = router(1 - side).filter(|&end| fabric.has_address(end, to)) else {
        return Some(KeepalivePath::Broken(KeepaliveFault::NotTheirs));
    };
    let routed = Routed { fabric, pair, far, ends: [from, to] };
    Some(match (routed.leads(near, end, false), routed.leads(near, end, true)) {
        (true, _) => KeepalivePath::Underlay,
        (false, true) => KeepalivePath::InBand(InBand::Routes),
        (false, false) => KeepalivePath::Broken(KeepaliveFault::NoRoute),
    })
}

/// The routed links between switches, as they are cabled and have a link. LAGs and sessions are not judged yet: a LAG is
/// taken to be up by its first link, and BGP to tell what it could.
struct Routed<'a> {
    fabric: &'a Fabric,
    pair: &'a Pair,
    far: &'a Pages<PortId, Option<PortId>>,
    ends: [IpAddr; 2],
}

impl Routed<'_> {
    /// Whether they lead from one router to another, with those over the pair's peer link or without.
    fn leads(&self, from: RouterId, to: RouterId, over_peer_link: bool) -> bool {
        let fabric = self.fabric;
        let [own, other] = self.ends;
        if !self.has(from, own, over_peer_link) || !self.has(to, other, over_peer_link) {
            return false;
        }
        // What is written sends packets on where no protocol runs.
        let written: FxHashSet<DeviceId> =
            fabric.static_routes().iter().map(|route| route.device).collect();
        let mut seen = FxHashSet::from_iter([from]);
        let mut open = vec![from];
        while let Some(router) = open.pop() {
            if router == to {
                return true;
            }
            for id in fabric.router(router).interfaces.iter() {
                let Some(far) = fabric.interface_far(id) else { continue };
                let next = fabric.device(fabric.interface(far).device).router;
                let up = [id, far].iter().all(|&end| self.is_up(end, over_peer_link));
                if let Some(next) = next.filter(|_| up && self.carries(id, far, &written))
                    && seen.insert(next)
                {
                    open.push(next);
                }
            }
        }
        false
    }

    /// Whether a router has an address: a loopback, or an interface that is up. A VLAN that crosses the peer link alone is
    /// down with it.
    fn has(&self, router: RouterId, address: IpAddr, over_peer_link: bool) -> bool {
        let mut with = self.fabric.interfaces_with(address).iter();
        let own = with.find(|&&id| self.fabric.router(router).interfaces.contains(id));
        own.is_none_or(|&id| self.is_up(id, over_peer_link))
    }

    /// Whether packets of the keepalive go over a link: one between its addresses, one by which routes are told, or one
    /// of a switch with static routes.
    fn carries(&self, near: InterfaceId, far: InterfaceId, written: &FxHashSet<DeviceId>) -> bool {
        let [a, b] = [near, far].map(|id| self.fabric.interface(id));
        if a.vrf.is_some() || b.vrf.is_some() {
            return false;
        }
        let fault = adjacency::settings(self.fabric, a, b);
        let has = |one: &Interface, address: IpAddr| {
            one.addresses.iter().any(|own| own.address() == address)
        };
        let straight = has(a, self.ends[0]) && has(b, self.ends[1]);
        let runs = fault.is_none() && a.protocol.value != UnderlayProtocol::None;
        let sent = straight || written.contains(&a.device);
        runs || (sent && !fault.is_some_and(AdjacencyFault::stops_packets))
    }

    fn is_up(&self, id: InterfaceId, over_peer_link: bool) -> bool {
        let sides = self.pair.sides.each_ref();
        let own = |port: PortId| {
            let device = self.fabric.port(port).device;
            let side = sides.iter().position(|side| side.switch.value == device);
            side.is_some_and(|side| self.fabric.peer_ports(self.pair, side).contains(&port))
        };
        let has_link = |port: PortId| match own(port) {
            true => over_peer_link,
            false => self.far[port].is_some(),
        };
        let lag_is_up = |lag: LagId| {
            let members = self.fabric.lag(lag).members.iter();
            members.map(|member| self.fabric.member(member).port.value).any(has_link)
        };
        adjacency::is_up(self.fabric, id, has_link, lag_is_up)
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
