//! How packets come to devices.

use std::net::IpAddr;

use smallvec::SmallVec;

use super::headers::Headers;
use super::path::{End, Hop, Station, Stop, Table, Way};
use super::resolution::{Answer, Asker};
use crate::behaviour::carrier::Node;
use crate::fabric::{DeviceId, EndpointId, OutsideId, PortId, PresenceId};
use crate::value::{MacAddr, VlanId};

/// Where a packet sets out.
#[derive(Clone, Copy, Debug)]
pub(super) enum Start {
    /// An endpoint sends to whom it has asked for.
    Endpoint { endpoint: EndpointId, answer: Answer, mac: MacAddr, gateway: Option<IpAddr> },
    /// Somebody asks everybody in its segment.
    Asks(Asker),
    /// Somebody answers.
    Answers { answer: Answer, mac: MacAddr, asker: Asker },
    /// A switch sends a packet of its own.
    Routed(PresenceId),
    /// A network outside sends.
    Outside(OutsideId),
}

/// What a device is to do with a packet when it has it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Stage {
    /// An endpoint on the host sends it.
    Emit(EndpointId),
    /// A frame of the switch's own, in a VLAN.
    Bridge(VlanId),
    /// It goes out by a port of a router, with a tag.
    Send(PortId, Option<VlanId>),
    /// A packet to route: the switch's own, or one from outside.
    Route { table: Table, own: bool },
    /// It came in by a port.
    Wire(PortId),
}

/// A packet as it comes to a device.
#[derive(Clone, Debug)]
pub(super) struct Arrival {
    pub(super) stage: Stage,
    pub(super) headers: Headers,
    pub(super) station: Station,
    /// Which VTEP a copy for a multicast group is followed to.
    pub(super) receiver: Option<IpAddr>,
}

/// From where a frame came into a VLAN of a switch.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Came {
    /// From the switch itself.
    Own,
    /// By a port.
    Port(PortId),
    /// From another VTEP.
    Tunnel(IpAddr),
}

/// A path that stops before it has left.
pub(super) fn stopped(device: DeviceId, stop: Stop) -> Way {
    let hop = Hop {
        device,
        entered: None,
        acts: SmallVec::new(),
        exits: SmallVec::new(),
        choices: 1,
        end: Some(End::Stopped(stop)),
    };
    Way { hops: vec![hop] }
}

/// A device while the packet is there.
pub(super) struct Visit {
    pub(super) at: usize,
    pub(super) device: DeviceId,
    /// Which part of a stack that has split.
    pub(super) part: usize,
    pub(super) receiver: Option<IpAddr>,
}

impl Visit {
    pub(super) fn node(&self) -> Node {
        Node { device: self.device, part: self.part }
    }
}
