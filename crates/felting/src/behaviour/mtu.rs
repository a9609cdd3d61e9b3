//! What packets of hosts need of the links that carry them.

use super::State;
use crate::diagnostic::{At, Span};
use crate::fabric::{DeviceId, DeviceKind, Fabric, Overlay, OverlayId, PortId, SegmentId};
use crate::value::{Encapsulation, Mtu};

/// What an Ethernet header adds to a packet (IEEE 802.3 clause 3.1.1), without the frame check sequence.
pub const ETHERNET: u32 = 14;

/// What UDP and VXLAN or GENEVE add to a frame (RFC 768, RFC 7348 section 5, RFC 8926 section 3).
pub const UDP_AND_VXLAN: u32 = 16;

/// What GRE with a key adds (RFC 7637 section 3.2).
const GRE: u32 = 8;

/// What an IP header adds.
pub const fn ip_header(is_ipv4: bool) -> u32 {
    if is_ipv4 { 20 } else { 40 }
}

/// What the outer headers take of a link's MTU beside the packet in them: 50 bytes of VXLAN over IPv4, 42 of NVGRE.
pub const fn outer_headers(encapsulation: Encapsulation, is_ipv4: bool) -> u32 {
    let shim = match encapsulation {
        Encapsulation::Vxlan | Encapsulation::Geneve => UDP_AND_VXLAN,
        Encapsulation::Nvgre => GRE,
    };
    ip_header(is_ipv4) + shim + ETHERNET
}

/// How large packets of hosts are where nothing is written (IEEE 802.3 clause 3.2.7).
const USUAL: u32 = 1500;

/// The MTUs that are written for hosts and that the switches at their NICs take: what doesn't get in needs nothing of the
/// links behind.
fn of_hosts(fabric: &Fabric) -> impl Iterator<Item = At<Mtu>> + '_ {
    let hosts = fabric.devices().filter(|(_, device)| device.kind == DeviceKind::Host);
    let nics = hosts.flat_map(|(_, host)| host.ports.iter());
    nics.filter_map(|nic| getting_in(fabric, nic))
}

/// The MTU that is written for a NIC, unless the switch at its other end takes less.
fn getting_in(fabric: &Fabric, nic: PortId) -> Option<At<Mtu>> {
    let own = fabric.written_mtu(nic)?;
    let far = fabric.link(nic).and_then(|(_, far)| fabric.most_at(far));
    far.is_none_or(|far| own.value <= far.value).then_some(own)
}

/// What a link of the underlay needs to take.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Needed {
    /// The largest packet of the hosts.
    pub(crate) hosts: u32,
    /// Where that is written.
    pub(crate) written: Option<Span>,
    /// What the outer headers add.
    pub(crate) headers: u32,
    /// The VTEP that adds the most.
    pub(crate) overlay: OverlayId,
}

impl Needed {
    /// Both together.
    pub(crate) fn bytes(&self) -> u32 {
        self.hosts + self.headers
    }
}

/// What links of the underlay need to take, if frames of hosts cross them.
pub(crate) fn needed(fabric: &Fabric) -> Option<Needed> {
    with_headers(fabric, of_hosts(fabric))
}

/// What a path between some switches and others needs to take: hosts count that have a segment on both sides.
pub(crate) fn needed_between(state: &State, sides: [&[DeviceId]; 2]) -> Option<Needed> {
    let fabric = state.fabric();
    let spans = |segment: SegmentId| {
        let is_on = |switches: &[DeviceId]| {
            switches.iter().any(|&switch| fabric.presence_of(segment, switch).is_some())
        };
        sides.iter().all(|side| is_on(side))
    };
    let crossing =
        fabric.endpoints().filter(|(id, _)| state.segments_of(*id).into_iter().any(spans));
    let nics = crossing.filter_map(|(id, _)| state.evpn().network_of(fabric, id));
    let nics = nics.flat_map(|network| fabric.uplink_ports(fabric.network(network).uplink));
    with_headers(fabric, nics.filter_map(|nic| getting_in(fabric, nic)))
}

fn with_headers(fabric: &Fabric, hosts: impl Iterator<Item = At<Mtu>>) -> Option<Needed> {
    let headers = |overlay: &Overlay| {
        Some(outer_headers(overlay.encapsulation.value, overlay.vtep?.value.is_ipv4()))
    };
    let all = fabric.overlays().filter_map(|(id, overlay)| Some((headers(overlay)?, id)));
    let (headers, overlay) = all.max_by_key(|&(headers, id)| (headers, std::cmp::Reverse(id)))?;
    let largest = hosts.max_by_key(|mtu| (mtu.get(), std::cmp::Reverse(mtu.span)));
    let largest = largest.filter(|mtu| mtu.get() > USUAL);
    Some(Needed {
        hosts: largest.map_or(USUAL, |mtu| mtu.get()),
        written: largest.map(|mtu| mtu.span),
        headers,
        overlay,
    })
}
