use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

use etherparse::icmpv6::NeighborAdvertisementHeader;
use etherparse::{
    ArpEthIpv4Packet, ArpOperation, EtherType, Ethernet2Header, IcmpEchoHeader, Icmpv4Header,
    Icmpv4Type, Icmpv6Header, Icmpv6Type, IpNumber, Ipv4Header, Ipv6FlowLabel, Ipv6Header,
    SingleVlanHeader, UdpHeader, VlanPcp,
};

use crate::behaviour::mtu::ip_header;
use crate::value::{Cookie, Encapsulation, VlanId};
use crate::walk::{Content, Frame, Headers, Outer, Packet, Shim};

/// Whether the outer UDP checksum is filled in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum OuterChecksum {
    /// Zero over IPv4, as RFC 7348 section 5 has it, and filled in over IPv6 (RFC 8200 section 8.1).
    #[default]
    Standard,
    /// Zero over IPv6 too, as RFC 6935 allows for tunnels.
    Zero,
}

/// The least that an Ethernet frame has without its check sequence (IEEE 802.3 clause 4.2.3.3).
const LEAST: usize = 60;

/// The bytes of a packet with its headers, as a tap on the link sees them: from the first MAC address on,
/// without the frame check sequence. `size` is that of an echo, from its IP header on.
pub fn frame(headers: &Headers, size: u32, checksum: OuterChecksum) -> Vec<u8> {
    let inner = ethernet(&headers.frame, size);
    let mut bytes = inner;
    for outer in &headers.outers {
        bytes = encapsulated(outer, &bytes, checksum);
    }
    if bytes.len() < LEAST {
        bytes.resize(LEAST, 0);
    }
    bytes
}

/// The link layer's header, with the tag if there is one.
fn link(from: [u8; 6], to: [u8; 6], tag: Option<VlanId>, what: EtherType) -> Vec<u8> {
    let ether_type = if tag.is_some() { EtherType::VLAN_TAGGED_FRAME } else { what };
    let mut bytes =
        Ethernet2Header { source: from, destination: to, ether_type }.to_bytes().to_vec();
    if let Some(tag) = tag {
        let vlan_id = u16::try_from(tag.get()).ok().and_then(|id| id.try_into().ok());
        let header = SingleVlanHeader {
            pcp: VlanPcp::ZERO,
            drop_eligible_indicator: false,
            vlan_id: vlan_id.unwrap_or_default(),
            ether_type: what,
        };
        bytes.extend(header.to_bytes());
    }
    bytes
}

fn ethernet(frame: &Frame, size: u32) -> Vec<u8> {
    let packet = &frame.packet;
    let (from, to) = (frame.from.octets(), frame.to.octets());
    match (packet.from, packet.to) {
        (IpAddr::V4(source), IpAddr::V4(target)) if packet.content.is_resolution() => {
            let asks = packet.content == Content::WhoHas;
            let arp = ArpEthIpv4Packet {
                operation: if asks { ArpOperation::REQUEST } else { ArpOperation::REPLY },
                sender_mac: from,
                sender_ipv4: source.octets(),
                // RFC 826: what is asked for is not known yet.
                target_mac: if asks { [0; 6] } else { to },
                target_ipv4: target.octets(),
            };
            let mut bytes = link(from, to, frame.tag, EtherType::ARP);
            bytes.extend(arp.to_bytes());
            bytes
        }
        (IpAddr::V4(source), IpAddr::V4(target)) => {
            let mut bytes = link(from, to, frame.tag, EtherType::IPV4);
            bytes.extend(echo_v4(packet, source, target, size));
            bytes
        }
        (IpAddr::V6(source), IpAddr::V6(target)) => {
            let mut bytes = link(from, to, frame.tag, EtherType::IPV6);
            bytes.extend(over_v6(packet, source, target, from, size));
            bytes
        }
        // Walks are between addresses of one version.
        _ => link(from, to, frame.tag, EtherType::IPV4),
    }
}

/// The data of an echo: what is left of its size, counted up.
fn data(size: u32, address: IpAddr) -> Vec<u8> {
    let length = size.saturating_sub(ip_header(address.is_ipv4()) + 8);
    (0..length).map(|place| u8::try_from(place % 256).unwrap_or(0)).collect()
}

const ECHO: IcmpEchoHeader = IcmpEchoHeader { id: 1, seq: 1 };

fn echo_v4(packet: &Packet, from: Ipv4Addr, to: Ipv4Addr, size: u32) -> Vec<u8> {
    let data = data(size, packet.from);
    let kind = match packet.content {
        Content::EchoReply => Icmpv4Type::EchoReply(ECHO),
        _ => Icmpv4Type::EchoRequest(ECHO),
    };
    let icmp = Icmpv4Header::with_checksum(kind, &data).to_bytes();
    let mut bytes = ipv4(from, to, packet.ttl, IpNumber::ICMP, icmp.len() + data.len());
    bytes.extend(icmp);
    bytes.extend(data);
    bytes
}

/// An IPv4 header; a payload that does not fit is cut off where the length field ends.
fn ipv4_header(
    from: Ipv4Addr,
    to: Ipv4Addr,
    ttl: u8,
    protocol: IpNumber,
    length: usize,
) -> Ipv4Header {
    let length = u16::try_from(length).unwrap_or(u16::MAX - Ipv4Header::MIN_LEN_U16);
    let mut header = Ipv4Header {
        total_len: length.saturating_add(Ipv4Header::MIN_LEN_U16),
        // A ping asks not to be fragmented.
        dont_fragment: true,
        time_to_live: ttl,
        protocol,
        source: from.octets(),
        destination: to.octets(),
        ..Ipv4Header::default()
    };
    header.header_checksum = header.calc_header_checksum();
    header
}

fn ipv4(from: Ipv4Addr, to: Ipv4Addr, ttl: u8, protocol: IpNumber, length: usize) -> Vec<u8> {
    ipv4_header(from, to, ttl, protocol, length).to_bytes().to_vec()
}

fn ipv6_header(
    from: Ipv6Addr,
    to: Ipv6Addr,
    ttl: u8,
    protocol: IpNumber,
    length: usize,
) -> Ipv6Header {
    Ipv6Header {
        traffic_class: 0,
        flow_label: Ipv6FlowLabel::ZERO,
        payload_length: u16::try_from(length).unwrap_or(u16::MAX),
        next_header: protocol,
        hop_limit: ttl,
        source: from.octets(),
        destination: to.octets(),
    }
}

fn over_v6(packet: &Packet, from: Ipv6Addr, to: Ipv6Addr, mac: [u8; 6], size: u32) -> Vec<u8> {
    // RFC 4861 section 4.3 and 4.4: the target, and the link-layer address of the sender as an option.
    let option = |kind: u8| [&[kind, 1][..], &mac[..]].concat();
    let (kind, to, payload) = match packet.content {
        Content::EchoRequest => (Icmpv6Type::EchoRequest(ECHO), to, data(size, packet.from)),
        Content::EchoReply => (Icmpv6Type::EchoReply(ECHO), to, data(size, packet.from)),
        Content::WhoHas => {
            // RFC 4291 section 2.7.1: the group of those that could have the address.
            let [.., a, b, c] = to.octets();
            let group = Ipv6Addr::from([0xff, 2, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 0xff, a, b, c]);
            let payload = [&to.octets()[..], &option(1)].concat();
            (Icmpv6Type::NeighborSolicitation, group, payload)
        }
        Content::IHave => {
            let header =
                NeighborAdvertisementHeader { router: false, solicited: true, r#override: true };
            let payload = [&from.octets()[..], &option(2)].concat();
            (Icmpv6Type::NeighborAdvertisement(header), to, payload)
        }
    };
    let icmp = Icmpv6Header::with_checksum(kind, from.octets(), to.octets(), &payload);
    let icmp = icmp.map(|header| header.to_bytes()).unwrap_or_default();
    let header = ipv6_header(from, to, packet.ttl, IpNumber::IPV6_ICMP, icmp.len() + payload.len());
    let mut bytes = header.to_bytes().to_vec();
    bytes.extend(icmp);
    bytes.extend(payload);
    bytes
}

/// What GRE and GENEVE have for the type of what they carry: Ethernet frames.
const FRAMES: [u8; 2] = [0x65, 0x58];

/// The number of L2TPv3 over IP (RFC 3931 section 4.1.1).
const L2TP: IpNumber = IpNumber::LAYER2_TUNNELING_PROTOCOL;

/// The header between the outer IP, or UDP, and the frame.
fn shim(outer: &Outer) -> Vec<u8> {
    match outer.shim {
        Shim::Vni { encapsulation, vni } => {
            let vni = vni.get().to_be_bytes();
            match encapsulation {
                // RFC 7348 section 5: the I flag, and the VNI in the upper 24 bits of the second word.
                Encapsulation::Vxlan => vec![0x08, 0, 0, 0, vni[1], vni[2], vni[3], 0],
                // RFC 8926 section 3.4: version and options none.
                Encapsulation::Geneve => {
                    vec![0, 0, FRAMES[0], FRAMES[1], vni[1], vni[2], vni[3], 0]
                }
                // RFC 7637 section 3.2: the key bit; the last octet is the flow's.
                Encapsulation::Nvgre => {
                    let flow = outer.flow_id().unwrap_or_default();
                    vec![0x20, 0, FRAMES[0], FRAMES[1], vni[1], vni[2], vni[3], flow]
                }
            }
        }
        Shim::L2tp { session, cookie, sublayer, sequence, udp } => {
            // RFC 3931 section 4.1.2.1: over UDP a data message says that it is one, and version 3.
            let mut bytes = if udp { vec![0, 3, 0, 0] } else { Vec::new() };
            bytes.extend(session.get().to_be_bytes());
            bytes.extend(cookie.iter().flat_map(Cookie::octets));
            // RFC 3931 section 4.6: the S bit and the number of the first message, or all zero.
            let first = [if sequence { 0x40 } else { 0 }, 0, 0, 0];
            bytes.extend(sublayer.then_some(first).into_iter().flatten());
            bytes
        }
    }
}

fn encapsulated(outer: &Outer, inner: &[u8], checksum: OuterChecksum) -> Vec<u8> {
    let carried = [&shim(outer)[..], inner].concat();
    let over_udp = outer.udp_ports().is_some();
    let protocol = match outer.shim {
        _ if over_udp => IpNumber::UDP,
        Shim::L2tp { .. } => L2TP,
        Shim::Vni { .. } => IpNumber::GRE,
    };
    let length = carried.len() + if over_udp { UdpHeader::LEN } else { 0 };
    let (from_mac, to_mac) = (outer.from_mac.octets(), outer.to_mac.octets());
    let (source, port) = outer.udp_ports().unwrap_or_default();
    let plain = UdpHeader::without_ipv4_checksum(source, port, carried.len());
    let (mut bytes, udp) = match (outer.from, outer.to) {
        (IpAddr::V4(from), IpAddr::V4(to)) => {
            let mut bytes = link(from_mac, to_mac, outer.tag, EtherType::IPV4);
            let mut header = ipv4_header(from, to, outer.ttl, protocol, length);
            // VTEPs must not fragment (RFC 7348 section 4.3).
            header.dont_fragment = !outer.fragments;
            header.header_checksum = header.calc_header_checksum();
            bytes.extend(header.to_bytes());
            (bytes, plain)
        }
        (IpAddr::V6(from), IpAddr::V6(to)) => {
            let header = ipv6_header(from, to, outer.ttl, protocol, length);
            let mut bytes = link(from_mac, to_mac, outer.tag, EtherType::IPV6);
            bytes.extend(header.to_bytes());
            let udp = match checksum {
                OuterChecksum::Standard => {
                    UdpHeader::with_ipv6_checksum(source, port, &header, &carried)
                }
                OuterChecksum::Zero => plain,
            };
            (bytes, udp)
        }
        _ => (link(from_mac, to_mac, outer.tag, EtherType::IPV4), plain),
    };
    if let (true, Ok(udp)) = (over_udp, udp) {
        bytes.extend(udp.to_bytes());
    }
    bytes.extend(carried);
    bytes
}
