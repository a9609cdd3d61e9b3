//! By what a switch leads to a network outside, and whether that is up.

use crate::behaviour::State;
use crate::behaviour::carrier::Node;
use crate::behaviour::domain::Onward;
use crate::fabric::{
    DeviceId, Fabric, InterfaceId, InterfacePlace, OutsideId, PortId, PresenceId, SegmentId,
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

/// A port of a router outside by which it sends into a segment, with the tag that it has there.
pub(crate) type Door = (PortId, Option<VlanId>);

impl State {
    /// By what a switch leads to a network outside; none while nothing that leads there is up. A route whose next
    /// hop is not reached is not used (RFC 4271 section 9.1.2.1).
    pub fn way_out(&self, outside: OutsideId, switch: DeviceId) -> Option<WayOut> {
        let fabric = &self.fabric;
        let made = fabric.outside(outside);
        let Some(via) = made.via.map(|via| via.value) else { return Some(WayOut::Beyond) };
        if self.is_off(via) {
            return None;
        }
        let Some(segment) = made.segment.map(|segment| segment.value) else {
            return self.links_between(switch, via, made.vrf.value).map(WayOut::Link);
        };
        let presence = fabric.presence_of(segment, switch)?;
        let elsewhere = || {
            fabric.segment(segment).presences.iter().any(|other| {
                other != presence
                    && self.learns(presence, other).is_ok()
                    && self.meets_router(other, via)
            })
        };
        (self.meets_router(presence, via) || elsewhere()).then_some(WayOut::Segment(presence))
    }

    /// Whether frames of a segment at a switch come to a router outside by cables.
    pub(crate) fn meets_router(&self, presence: PresenceId, via: DeviceId) -> bool {
        let at = self.fabric.presence(presence);
        at.vlan.is_some_and(|vlan| self.meets(at.switch, vlan.value, via))
    }

    /// A routed interface of a switch in a VRF whose link to a router is up.
    fn links_between(
        &self,
        switch: DeviceId,
        via: DeviceId,
        vrf: crate::fabric::VrfId,
    ) -> Option<InterfaceId> {
        let fabric = &self.fabric;
        let mut own = fabric.router_of(switch)?.interfaces.iter();
        own.find(|&id| {
            let interface = fabric.interface(id);
            interface.vrf.is_some_and(|own| own.value == vrf)
                && self.ports_of(id).into_iter().any(|port| {
                    let far = self.far(port);
                    let tag = interface.tag.map(|tag| tag.value);
                    far.is_some_and(|far| fabric.port(far).device == via && takes(fabric, far, tag))
                })
        })
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
