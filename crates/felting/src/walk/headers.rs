//! What a packet wears.

use std::fmt;
use std::net::IpAddr;

use smallvec::SmallVec;

use crate::behaviour::{Shim, mtu};
use crate::fabric::PseudowireId;
use crate::value::{Encapsulation, MacAddr, VlanId};

/// To whom a frame is addressed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Destination {
    /// One station.
    Station(MacAddr),
    /// Every station, or those of a group.
    Group([u8; 6]),
}

impl Destination {
    /// Every station.
    pub const BROADCAST: Self = Self::Group([0xff; 6]);

    /// The group of those that could have an IPv6 address (RFC 4291 section 2.7.1, RFC 2464 section 7), or
    /// every station for an IPv4 address: whom a question for its MAC address goes to.
    pub fn asked_for(address: IpAddr) -> Self {
        match address {
            IpAddr::V4(_) => Self::BROADCAST,
            IpAddr::V6(address) => {
                let [.., a, b, c] = address.octets();
                Self::Group([0x33, 0x33, 0xff, a, b, c])
            }
        }
    }

    /// The frames of an IP multicast group (RFC 1112 section 6.4, RFC 2464 section 7).
    pub fn of_group(group: IpAddr) -> Self {
        match group {
            IpAddr::V4(group) => {
                let [_, b, c, d] = group.octets();
                Self::Group([0x01, 0x00, 0x5e, b & 0x7f, c, d])
            }
            IpAddr::V6(group) => {
                let [.., a, b, c, d] = group.octets();
                Self::Group([0x33, 0x33, a, b, c, d])
            }
        }
    }

    /// The six bytes, as they go over the wire.
    pub fn octets(self) -> [u8; 6] {
        match self {
            Self::Station(mac) => mac.octets(),
            Self::Group(octets) => octets,
        }
    }

    /// Whether the frame is for many.
    pub fn is_group(self) -> bool {
        matches!(self, Self::Group(_))
    }
}

impl fmt::Display for Destination {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (index, octet) in self.octets().into_iter().enumerate() {
            let colon = if index == 0 { "" } else { ":" };
            write!(f, "{colon}{octet:02x}")?;
        }
        Ok(())
    }
}

/// What a packet says.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Content {
    /// An echo request (RFC 792, RFC 4443).
    EchoRequest,
    /// An echo reply.
    EchoReply,
    /// Who has the address? (ARP, RFC 826; neighbour solicitation, RFC 4861.)
    WhoHas,
    /// I have it.
    IHave,
}

impl Content {
    /// The word for it.
    pub const fn word(self) -> &'static str {
        match self {
            Self::EchoRequest => "echo request",
            Self::EchoReply => "echo reply",
            Self::WhoHas => "who has",
            Self::IHave => "is at",
        }
    }

    /// Whether it asks for a MAC address, or answers that: such a frame is not routed.
    pub fn is_resolution(self) -> bool {
        matches!(self, Self::WhoHas | Self::IHave)
    }
}

/// A packet from one address to another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct Packet {
    /// The address that it is from; of a question for a MAC address that of the asker.
    pub from: IpAddr,
    /// The address that it is to; of such a question the one that is asked for.
    pub to: IpAddr,
    /// The TTL, or hop limit of IPv6.
    pub ttl: u8,
    /// What it says.
    pub content: Content,
}

/// The TTL with which packets set out (RFC 1700 for IPv4; RFC 4861 asks for 255 in its own).
pub(super) const TTL: u8 = 64;

/// How many bytes of data an echo carries, where nothing else is asked for.
pub(super) const ECHO_DATA: u32 = 56;

/// What a tag adds (IEEE 802.1Q clause 9).
pub const TAG: u32 = 4;
/// A frame as a link carries it, without what it is encapsulated in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct Frame {
    /// The MAC address that it is from.
    pub from: MacAddr,
    /// The one that it is to.
    pub to: Destination,
    /// Its tag.
    pub tag: Option<VlanId>,
    /// The packet in it.
    pub packet: Packet,
}

/// The headers around a frame that crosses the underlay.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct Outer {
    /// The MAC address of the router that sends it.
    pub from_mac: MacAddr,
    /// The MAC address of the next router.
    pub to_mac: Destination,
    /// The tag on this link.
    pub tag: Option<VlanId>,
    /// The address of the VTEP, or end of a pseudowire, that sends it.
    pub from: IpAddr,
    /// The address of the one that it is for, or a multicast group.
    pub to: IpAddr,
    /// The outer TTL.
    pub ttl: u8,
    /// What tells flows apart, so that they spread over equal paths: the UDP source port (RFC 7348
    /// section 5), or the flow id in its last octet (RFC 7637 section 3.2).
    pub(crate) entropy: u16,
    /// The UDP port that the receiver listens on, where there is UDP.
    pub(crate) port: u16,
    /// What the frame travels in.
    pub shim: Shim,
    /// Whether the packet may be fragmented on its way.
    pub fragments: bool,
    /// The end of a pseudowire that put it on.
    pub(crate) wire: Option<PseudowireId>,
}

impl Outer {
    /// The UDP ports, source and destination; none with NVGRE, which goes over GRE, and L2TPv3 over IP.
    pub fn udp_ports(&self) -> Option<(u16, u16)> {
        let is_udp = match self.shim {
            Shim::L2tp { udp, .. } => udp,
            Shim::Vni { encapsulation, .. } => encapsulation != Encapsulation::Nvgre,
        };
        is_udp.then_some((self.entropy, self.port))
    }

    /// The flow id of NVGRE, which other encapsulations have not (RFC 7637 section 3.2).
    pub fn flow_id(&self) -> Option<u8> {
        let [_, flow] = self.entropy.to_be_bytes();
        let is_nvgre = matches!(self.shim, Shim::Vni { encapsulation: Encapsulation::Nvgre, .. });
        is_nvgre.then_some(flow)
    }

    /// What the frame travels in, in words.
    pub fn words(&self) -> String {
        let udp = self.udp_ports().map(|(from, to)| format!("UDP {from} \u{2192} {to} | "));
        let flow = self.flow_id().map(|flow| format!(" flow {flow}"));
        format!("{}{}{}", udp.unwrap_or_default(), self.shim, flow.unwrap_or_default())
    }

    /// What the headers take beside the payload of the frame in them.
    pub fn overhead(&self) -> u32 {
        mtu::of_shim(&self.shim, self.to.is_ipv4())
    }
}

/// All headers.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct Headers {
    /// What it is encapsulated in: of several, the outermost last.
    pub outers: SmallVec<[Outer; 1]>,
    /// The frame.
    pub frame: Frame,
}

impl Headers {
    /// A frame by itself.
    pub(super) fn bare(frame: Frame) -> Self {
        Self { outers: SmallVec::new(), frame }
    }

    /// The outermost of what it is encapsulated in.
    pub fn outer(&self) -> Option<&Outer> {
        self.outers.last()
    }

    /// The same around another frame.
    pub(super) fn around(&self, frame: Frame) -> Self {
        Self { outers: self.outers.clone(), frame }
    }

    /// Further headers around it.
    pub(super) fn within(mut self, outer: Outer) -> Self {
        self.outers.push(outer);
        self
    }

    /// What a link's MTU counts of a packet that wears these headers; `size` is that of an echo.
    pub fn on_link(&self, size: u32) -> u32 {
        let packet = &self.frame.packet;
        let own = match (packet.content.is_resolution(), packet.from.is_ipv4()) {
            (false, _) => size,
            // RFC 826 for Ethernet and IPv4; RFC 4861 section 4.3 with one option.
            (true, true) => 28,
            (true, false) => 72,
        };
        own + self.overhead()
    }

    /// What the headers take of a link's MTU beside the packet.
    pub fn overhead(&self) -> u32 {
        // The outermost frame's own header and tag are beyond what an MTU counts.
        let tags = std::iter::once(self.frame.tag).chain(self.outers.iter().map(|one| one.tag));
        let inside = tags.take(self.outers.len()).flatten().count();
        let tags = u32::try_from(inside).unwrap_or(0) * TAG;
        self.outers.iter().map(Outer::overhead).sum::<u32>() + tags
    }

    /// Whether it may be fragmented, so that no link is too small for it.
    pub fn fragments(&self) -> bool {
        self.outer().is_some_and(|outer| outer.fragments)
    }
}
