//! By what a switch leads to a network outside, and whether that is up.

use crate::behaviour::carrier::Node;
use crate::behaviour::domain::Onward;
use crate::behaviour::{AdjacencyFault, State};
use crate::fabric::{
    DeviceId, Fabric, InterfaceId, InterfacePlace, OutsideId, PortId, PresenceId, SegmentId, VrfId,
};
use crate::value::VlanId;

/// By what a switch leads to a network outside.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum WayOut {
    /// The file says nothing of what is there.
    Beyond,
    /// In a segment in which the router there is met.
    Segment(PresenceId),
    /// By a routed interface that leads to the router.
    Link(InterfaceId),
}

/// Why a switch doesn't lead to a network outside: what is farther down is nearer to a way.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum NoWayOut {
    /// The router there is off.
    Off,
    /// It doesn't have the segment in which the router is met.
    NotInSegment,
    /// The router is not met in the segment.
    NotMet(PresenceId),
    /// It has no routed interface in the VRF.
    NoInterface,
    /// The interface has no cable.
    NoCable(InterfaceId),
    /// The interface leads to somebody else.
    Elsewhere(InterfaceId),
    /// The interface's link to the router is down.
    Down(InterfaceId),
    /// The router's port at the other end of the interface doesn't take what is sent.
    NotTaken(InterfaceId, PortId),
}

impl NoWayOut {
    /// The interface that comes nearest to a way.
    pub fn interface(self) -> Option<InterfaceId> {
        match self {
            Self::NoCable(id) | Self::Elsewhere(id) | Self::Down(id) | Self::NotTaken(id, _) => {
                Some(id)
            }
            Self::Off | Self::NotInSegment | Self::NotMet(_) | Self::NoInterface => None,
        }
    }

    /// Why, in words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Off => "the router there is off",
            Self::NotInSegment => "it is not in the segment of the router",
            Self::NotMet(_) => "the router is not met in the segment",
            Self::NoInterface => "no interface in the VRF",
            Self::NoCable(_) => "no cable",
            Self::Elsewhere(_) => "the cable leads elsewhere",
            Self::Down(_) => "the link is down",
            Self::NotTaken(..) => "the router takes nothing there",
        }
    }
}

/// A port of a router outside by which it sends into a segment, with the tag that it has there.
pub(crate) type Door = (PortId, Option<VlanId>);

impl State {
    /// By what a switch leads to a network outside; none while nothing that leads there is up.
    pub fn way_out(&self, outside: OutsideId, switch: DeviceId) -> Option<WayOut> {
        self.leads_out(outside, switch).ok()
    }

    /// By what a switch leads to a network outside. A route whose next hop is not reached is not used (RFC 4271 section
    /// 9.1.2.1).
    ///
    /// # Errors
    ///
    /// Why it doesn't.
    pub fn leads_out(&self, outside: OutsideId, switch: DeviceId) -> Result<WayOut, NoWayOut> {
        let fabric = &self.fabric;
        let made = fabric.outside(outside);
        let Some(via) = made.via.map(|via| via.value) else { return Ok(WayOut::Beyond) };
        if self.is_off(via) {
            return Err(NoWayOut::Off);
        }
        let Some(segment) = made.segment.map(|segment| segment.value) else {
            return self.links_between(switch, via, made.vrf.value).map(WayOut::Link);
        };
        let presence = fabric.presence_of(segment, switch).ok_or(NoWayOut::NotInSegment)?;
        let elsewhere = || {
            fabric.segment(segment).presences.iter().any(|other| {
                other != presence
                    && self.learns(presence, other).is_ok()
                    && self.meets_router(other, via)
            })
        };
        match self.meets_router(presence, via) || elsewhere() {
            true => Ok(WayOut::Segment(presence)),
            false => Err(NoWayOut::NotMet(presence)),
        }
    }

    /// Whether frames of a segment at a switch come to a router outside by cables.
    pub(crate) fn meets_router(&self, presence: PresenceId, via: DeviceId) -> bool {
        let at = self.fabric.presence(presence);
        at.vlan.is_some_and(|vlan| self.meets(at.switch, vlan.value, via))
    }

    /// A routed interface of a switch in a VRF whose link to a router carries packets; else what is wrong with the one
    /// that comes nearest.
    fn links_between(
        &self,
        switch: DeviceId,
        via: DeviceId,
        vrf: VrfId,
    ) -> Result<InterfaceId, NoWayOut> {
        let fabric = &self.fabric;
        let Some(router) = fabric.router_of(switch) else { return Err(NoWayOut::NoInterface) };
        let mut nearest = NoWayOut::NoInterface;
        for id in router.interfaces.iter() {
            if fabric.interface(id).vrf.is_none_or(|own| own.value != vrf) {
                continue;
            }
            match self.link_to_router(id, via) {
                None => return Ok(id),
                Some(wrong) => nearest = nearest.max(wrong),
            }
        }
        Err(nearest)
    }

    /// What is wrong with the link of a routed interface to a router.
    fn link_to_router(&self, id: InterfaceId, via: DeviceId) -> Option<NoWayOut> {
        let fabric = &self.fabric;
        let interface = fabric.interface(id);
        let ports = match interface.place {
            InterfacePlace::Port(port) => vec![port],
            InterfacePlace::Lag(lag) => {
                let members = fabric.lag(lag).members.iter();
                members.map(|member| fabric.member(member).port.value).collect()
            }
            InterfacePlace::Vlan(_) => return Some(NoWayOut::NoInterface),
        };
        let cabled: Vec<PortId> =
            ports.into_iter().filter_map(|port| fabric.link(port)).map(|(_, far)| far).collect();
        if cabled.is_empty() {
            return Some(NoWayOut::NoCable(id));
        }
        let Some(&far) = cabled.iter().find(|&&far| fabric.port(far).device == via) else {
            return Some(NoWayOut::Elsewhere(id));
        };
        let up = self.ports_of(id).into_iter().any(|port| self.far(port).is_some());
        if !up {
            return Some(NoWayOut::Down(id));
        }
        let tag = interface.tag.map(|tag| tag.value);
        let apart = self.underlay().adjacency_of(id).and_then(|adjacency| adjacency.fault);
        let taken = takes(fabric, far, tag) && !apart.is_some_and(AdjacencyFault::stops_packets);
        (!taken).then_some(NoWayOut::NotTaken(id, far))
    }

    /// The ports that a routed interface sends by.
    pub(crate) fn ports_of(&self, interface: InterfaceId) -> Vec<PortId> {
        let fabric = &self.fabric;
        match fabric.interface(interface).place {
            InterfacePlace::Port(port) => vec![port],
            InterfacePlace::Lag(lag) => {
                let members = fabric.lag(lag).members.iter();
                let used = members.filter(|&member| self.member(member).distributing);
                used.map(|member| fabric.member(member).port.value).collect()
            }
            InterfacePlace::Vlan(_) => Vec::new(),
        }
    }

    /// Whether frames of a VLAN at a switch come to a router by cables: to a port that bridges, or to a routed
    /// interface.
    fn meets(&self, switch: DeviceId, vlan: VlanId, via: DeviceId) -> bool {
        let fabric = &self.fabric;
        let carriers = self.carriers();
        let mut met = false;
        carriers.spread(Node { device: switch, part: 0 }, vlan, |at| {
            met |= at.node.device == via
                || carriers.ports(at.node).any(|port| {
                    let far = self.far(port).filter(|&far| fabric.port(far).device == via);
                    let tag = carriers.goes_out(port, at.vlan);
                    far.zip(tag).is_some_and(|(far, tag)| takes(fabric, far, tag))
                });
            if met { Onward::Enough } else { Onward::Further }
        });
        met
    }

    /// The ports by which a router outside sends into a segment from a routed interface.
    pub(crate) fn doors_of(&self, via: DeviceId, segment: SegmentId) -> Vec<Door> {
        let fabric = &self.fabric;
        let carriers = self.carriers();
        let interfaces = fabric.router_of(via).into_iter().flat_map(|own| own.interfaces.iter());
        let doors = interfaces.flat_map(|id| {
            let tag = fabric.interface(id).tag.map(|tag| tag.value);
            self.ports_of(id).into_iter().map(move |port| (port, tag))
        });
        let leads = |&(port, tag): &Door| {
            let Some(far) = self.far(port) else { return false };
            let Some(vlan) = carriers.comes_in(far, tag) else { return false };
            let mut all = fabric.segment(segment).presences.iter();
            all.any(|id| fabric.presence(id).vlan.is_some_and(|own| own.value == vlan))
        };
        doors.filter(leads).collect()
    }
}

/// Whether a router takes frames with a tag on a port: by an interface, or because it bridges there.
fn takes(fabric: &Fabric, port: PortId, tag: Option<VlanId>) -> bool {
    fabric.interface_on(port, tag).is_some()
        || crate::behaviour::carrier::enters(fabric, port, tag).is_some()
}
