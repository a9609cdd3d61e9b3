//! Machines on hosts' virtual networks, and the addresses that are given out to them.

use std::net::IpAddr;

use smol_str::SmolStr;

use super::{DeviceId, EndpointId, NetworkId, SegmentId};
use crate::diagnostic::At;
use crate::value::{AddressRange, IpInterface, MacAddr, Mtu, VlanId};

/// A machine that a host's virtual network connects.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Endpoint {
    /// Its name.
    pub name: At<SmolStr>,
    /// The host that it runs on.
    pub host: At<DeviceId>,
    /// The host's virtual network.
    pub network: At<NetworkId>,
    /// The tag that it uses in a network of several.
    pub tag: Option<At<VlanId>>,
    /// Its MAC address.
    pub mac: At<MacAddr>,
    /// Its addresses.
    pub addresses: Vec<At<IpInterface>>,
    /// The routers that it sends to what is outside its subnets.
    pub gateways: Vec<At<IpAddr>>,
    /// Its MTU, its own or its host's; 1500 if neither is written.
    pub mtu: Option<At<Mtu>>,
}

impl Endpoint {
    /// Its first address of a family.
    pub fn address_like(&self, other: IpAddr) -> Option<At<IpInterface>> {
        let own = self.addresses.iter();
        own.copied().find(|own| own.address().is_ipv4() == other.is_ipv4())
    }
}

/// Addresses that a DHCP server gives out in a segment (RFC 2131).
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Dhcp {
    /// Its name.
    pub name: At<SmolStr>,
    /// The segment.
    pub segment: At<SegmentId>,
    /// The addresses.
    pub addresses: Vec<At<AddressRange>>,
    /// Those that are not given out.
    pub except: Vec<At<AddressRange>>,
    /// The routers that hosts are told of (RFC 2132 section 3.5).
    pub routers: Vec<At<IpAddr>>,
    /// The server.
    pub server: Option<At<EndpointId>>,
}

impl Dhcp {
    /// Whether an address may be given out.
    pub fn gives(&self, address: IpAddr) -> bool {
        let within = |list: &[At<AddressRange>]| list.iter().any(|range| range.contains(address));
        within(&self.addresses) && !within(&self.except)
    }
}
