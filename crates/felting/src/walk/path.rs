//! The way of a packet: hops, what is decided at each, and where it ends.

use std::net::IpAddr;

use smallvec::SmallVec;

use super::headers::Headers;
use crate::behaviour::{Apart, FloodList, NoRoute, RouteSource, TenantRoute, WireFault};
use crate::fabric::{
    BondId, DeviceId, EndpointId, NetworkId, OutsideId, PortId, PresenceId, PseudowireId,
    SegmentId, VrfId, WanId,
};
use crate::value::{IpPrefix, VlanId, Vni};

/// A table that packets are routed by.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Table {
    /// A tenant's.
    Vrf(VrfId),
    /// The switch's own, which is also that of the underlay.
    Own,
}

/// For whom a frame is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Station {
    /// An endpoint.
    Endpoint(EndpointId),
    /// A switch in a segment, as a router.
    Router(PresenceId),
    /// Whatever router has an address.
    Gateway(IpAddr),
    /// The router of a network outside.
    Beyond(DeviceId),
    /// The next router on the way.
    Next(DeviceId),
}

/// By what a switch sends a frame on in its own VLAN.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Bridging {
    /// The station is behind this switch's own port.
    Here,
    /// It is behind the other switch of the pair.
    PeerLink,
    /// It is behind other switches.
    Behind(DeviceId),
}

/// By what a VTEP knows where a station is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Known {
    /// By a type 2 route of a VTEP, for a segment.
    MacIp(PresenceId),
    /// By a type 2 route with the layer 3 VNI, as a route to the host.
    Host(DeviceId),
    /// By a type 5 route.
    Prefix(DeviceId),
    /// From frames that came from there: there is no EVPN for it.
    Frames(PresenceId),
    /// Not at all: it is flooded.
    Flooded(PresenceId),
}

/// By what a router knows a MAC address.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Resolved {
    /// From a type 2 route with both addresses.
    Evpn,
    /// It asks for it.
    Asking,
}

/// One thing that a device does with a packet.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Act {
    /// An endpoint sends to a station in its subnet, or to its gateway.
    Sends {
        /// The gateway, if it is for another subnet.
        gateway: Option<IpAddr>,
    },
    /// The virtual switch of a host takes the frame from a guest.
    Takes {
        /// The network.
        network: NetworkId,
        /// The tag that the frame then has.
        tag: Option<VlanId>,
        /// Whether the guest tagged it by itself.
        by_guest: bool,
    },
    /// The virtual switch passes it on inside the host.
    Inside,
    /// A host sends by one of its NICs.
    Uplink {
        /// The bond, if it has one.
        bond: Option<BondId>,
    },
    /// A switch takes a frame into a VLAN.
    Enters {
        /// The VLAN.
        vlan: VlanId,
        /// The segment that has it there.
        presence: Option<PresenceId>,
    },
    /// It passes it on in the VLAN.
    Bridges {
        /// By what.
        side: Bridging,
    },
    /// It passes it on to many.
    Floods {
        /// The segment.
        presence: PresenceId,
        /// To which VTEPs.
        list: FloodList,
        /// Whether it does so only because it does not know the station.
        unknown: bool,
    },
    /// It answers a question for a MAC address from what EVPN told it.
    Suppresses {
        /// Whose address it is.
        endpoint: EndpointId,
        /// The VTEP that told it.
        told: PresenceId,
    },
    /// It answers a question for its own address.
    Answers,
    /// It routes.
    Routes {
        /// By which table.
        table: Table,
        /// By which route of a tenant's table.
        route: TenantRoute,
    },
    /// It routes by its own table to a segment of its own.
    RoutesOwn {
        /// The prefix.
        prefix: IpPrefix,
        /// The segment.
        segment: SegmentId,
    },
    /// It learns the MAC address that an address belongs to.
    Resolves {
        /// Whose.
        endpoint: EndpointId,
        /// By what.
        by: Resolved,
    },
    /// It puts the outer headers on.
    Encapsulates {
        /// The VNI.
        vni: Vni,
        /// To which VTEP address or group.
        to: IpAddr,
        /// By what it knows that.
        known: Known,
        /// Over how many VTEPs it spreads such frames.
        of: usize,
    },
    /// It routes by its own table.
    Underlay {
        /// The prefix.
        prefix: IpPrefix,
        /// From where it has the route.
        source: RouteSource,
        /// The route's cost.
        metric: u32,
        /// Over how many next hops it spreads packets.
        of: usize,
    },
    /// It puts headers on what came by the port of a pseudowire.
    IntoWire {
        /// The end of the wire.
        end: PseudowireId,
        /// To whom.
        to: IpAddr,
        /// The largest packet that gets in, if that is written.
        room: Option<u32>,
    },
    /// It takes them off, and sends what was in them out by the port of a pseudowire.
    OutOfWire {
        /// The end of the wire.
        end: PseudowireId,
    },
    /// It takes the outer headers off, for a segment.
    Decapsulates {
        /// The VNI.
        vni: Vni,
        /// The segment.
        presence: PresenceId,
    },
    /// It takes the outer headers off, for a VRF.
    DecapsulatesRouted {
        /// The VNI.
        vni: Vni,
        /// The VRF.
        vrf: VrfId,
    },
    /// It leads out of the fabric.
    LeadsOut(OutsideId),
    /// The host hands it to an endpoint.
    Delivers(EndpointId),
}

/// Why a packet gets no farther.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Stop {
    /// The endpoint moved to a host that has no network of that name.
    NoNetwork,
    /// The endpoint's tag is not among its network's.
    TagOutside(VlanId),
    /// The endpoint says no tag, and its network has several.
    NoTag,
    /// No NIC of the uplink has a link, or is in use.
    NoUplink,
    /// The destination is in another subnet, and the endpoint has no gateway of that family.
    NoGateway,
    /// A gateway that is outside the endpoint's own subnets: it never asks for it.
    GatewayOutside(IpAddr),
    /// The port has no link.
    LinkDown(PortId),
    /// The port does not take frames with this tag, or without one.
    NotCarried(PortId, Option<VlanId>),
    /// The switch has no such VLAN: segments are on it, and none with that.
    NoVlan(VlanId),
    /// The port is a member of a LAG that does not use it.
    NotInUse(PortId),
    /// The spanning tree holds frames back here.
    Discarding(PortId),
    /// The switch does not know the station, and no way leads to it.
    Unknown {
        /// The segment, if the switch has it.
        presence: Option<PresenceId>,
    },
    /// The VTEP where the station is gets no copy.
    NoCopy {
        /// The segment here.
        presence: PresenceId,
        /// The segment where the station is.
        there: PresenceId,
        /// Why it gets none.
        why: Apart,
    },
    /// Another leaf of the single-active Ethernet segment forwards in this VLAN.
    Closed(PortId),
    /// No leaf forwards frames for many into the Ethernet segment here.
    NotForwarder(PortId),
    /// Nobody has the address.
    Nobody(IpAddr),
    /// A question for a MAC address gets no answer.
    Unanswered(IpAddr),
    /// The table has no route.
    NoRoute(Table),
    /// The route leads where the file says nothing of.
    Unmodelled,
    /// The route leads out of the fabric, though the destination is inside.
    WentOut(OutsideId),
    /// The router of the network outside is not reached.
    NoWayOut(OutsideId),
    /// The underlay does not lead to the VTEP.
    Underlay(NoRoute),
    /// The frame comes to a switch that has no such VNI.
    VniUnknown(Vni),
    /// It comes to one that is no VTEP, listens on another UDP port, or takes another encapsulation.
    NotTaken,
    /// It is for another router's MAC address.
    RouterMac,
    /// The TTL is used up.
    Expired,
    /// It comes by again where it has been.
    Circle,
    /// The pseudowire has it, and it doesn't come out.
    Wire {
        /// The end at which it went in, or by whose ids it was to come out.
        end: PseudowireId,
        /// Why not.
        why: WireFault,
    },
    /// It is larger than the pseudowire takes.
    WireTooBig {
        /// The end.
        end: PseudowireId,
        /// Its MTU.
        mtu: u32,
    },
    /// It is larger than the link takes.
    TooBig {
        /// The port that it was to leave by.
        port: PortId,
        /// The link's MTU.
        mtu: u32,
    },
    /// The host has no endpoint that takes it.
    NotItsNetwork,
    /// An endpoint gets a packet for another address, as if it were a router.
    NotForwarded(EndpointId),
    /// It comes to a host or switch that it is not for.
    Astray,
}

/// How the way ends at a hop.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum End {
    /// It is where it was to go.
    Arrived,
    /// It gets no farther.
    Stopped(Stop),
}

/// Out of a device and into the next.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Exit {
    /// The port that it leaves by.
    pub port: PortId,
    /// The port that it comes in by.
    pub into: PortId,
    /// The path over a WAN, if that is between the two.
    pub wan: Option<WanId>,
    /// What it wears on the link.
    pub headers: Headers,
    /// The link's MTU, if one is written.
    pub mtu: Option<u32>,
    /// The next hop, by its place in the path.
    pub to: usize,
}

/// A device on the way.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Hop {
    /// The device.
    pub device: DeviceId,
    /// The port by which it came in first.
    pub entered: Option<PortId>,
    /// What the device does, in order.
    pub acts: SmallVec<[Act; 4]>,
    /// Where it goes on: one exit, or all that are as good.
    pub exits: SmallVec<[Exit; 1]>,
    /// Over how many ways the device spreads such packets here.
    pub choices: usize,
    /// How it ends here, if it does.
    pub end: Option<End>,
}

/// The way of a packet, or of a flow over all equal ways: hops from the first.
#[derive(Clone, Debug, Default, PartialEq)]
#[non_exhaustive]
pub struct Way {
    /// The hops in the order in which they are first come to.
    pub hops: Vec<Hop>,
}

impl Way {
    /// Whether it arrives; of several ways whether all do.
    pub fn arrives(&self) -> bool {
        !self.hops.is_empty()
            && self.hops.iter().all(|hop| !matches!(hop.end, Some(End::Stopped(_))))
    }

    /// The first hop at which it stops, and why.
    pub fn stop(&self) -> Option<(&Hop, Stop)> {
        self.hops.iter().find_map(|hop| match hop.end {
            Some(End::Stopped(stop)) => Some((hop, stop)),
            _ => None,
        })
    }

    /// The hops by which one of the ways comes to a hop, from the first on.
    pub fn way_to<'p>(&'p self, hop: &'p Hop) -> Vec<&'p Hop> {
        let mut way = vec![hop];
        let place = |hop: &Hop| self.hops.iter().position(|one| std::ptr::eq(one, hop));
        while let Some(at) = way.last().and_then(|hop| place(hop)) {
            let before = self.hops.iter().find(|one| one.exits.iter().any(|exit| exit.to == at));
            match before.filter(|before| !way.iter().any(|one| std::ptr::eq(*one, *before))) {
                Some(before) => way.push(before),
                None => break,
            }
        }
        way.reverse();
        way
    }

    /// The first hop at which it arrives.
    pub fn arrival(&self) -> Option<&Hop> {
        self.hops.iter().find(|hop| hop.end == Some(End::Arrived))
    }

    /// The routers that the packet itself passes, as its TTL counts them; of several ways the most.
    pub fn routers(&self) -> u32 {
        let ttl = |hop: &Hop| hop.exits.iter().map(|exit| exit.headers.frame.packet.ttl).min();
        let least = self.hops.iter().filter_map(ttl).min();
        let first = self.hops.first().and_then(ttl);
        first.zip(least).map_or(0, |(first, least)| u32::from(first.saturating_sub(least)))
    }

    /// The largest packet that gets through, as far as MTUs are written.
    pub fn mtu(&self) -> Option<u32> {
        let exits = self.hops.iter().flat_map(|hop| &hop.exits);
        let exits = exits.filter(|exit| !exit.headers.fragments());
        let room = exits.filter_map(|exit| Some(exit.mtu?.saturating_sub(exit.headers.overhead())));
        let acts = self.hops.iter().flat_map(|hop| &hop.acts);
        let wires = acts.filter_map(|act| match act {
            Act::IntoWire { room, .. } => *room,
            _ => None,
        });
        room.chain(wires).min()
    }
}

impl Hop {
    /// The segment in which a switch took the frame last.
    pub(super) fn presence(&self) -> Option<PresenceId> {
        self.acts.iter().rev().find_map(|act| match act {
            Act::Enters { presence, .. } => *presence,
            Act::Decapsulates { presence, .. } => Some(*presence),
            _ => None,
        })
    }
}
