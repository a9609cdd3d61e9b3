//! What packets of hosts need of the links that carry them.

use super::State;
use super::tunnel::Shim;
use super::underlay::Towards;
use crate::diagnostic::{At, Span};
use crate::fabric::{
    DeviceId, DeviceKind, Fabric, Overlay, OverlayId, PortId, Pseudowire, PseudowireId, SegmentId,
    WanId,
};
use crate::value::{Cookie, Encapsulation, Mtu};

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

/// What L2TPv3 takes of a link's MTU beside the packet in it: the outer IP header, over UDP its header and 4 octets of flags
/// and version (RFC 3931 section 4.1.2.1), the session id of 4 octets, the cookie, the layer 2 specific sublayer of 4
/// (section 4.6), and the frame's Ethernet header (RFC 4719 section 2).
pub fn l2tp_headers(udp: bool, cookie: Option<&Cookie>, sublayer: bool, is_ipv4: bool) -> u32 {
    let cookie = cookie.map_or(0, |cookie| u32::try_from(cookie.octets().len()).unwrap_or(0));
    let over_udp = if udp { 8 + 4 } else { 0 };
    let sublayer = if sublayer { 4 } else { 0 };
    ip_header(is_ipv4) + over_udp + 4 + cookie + sublayer + ETHERNET
}

/// What the headers of a tunnel add to a packet, from the outer IP to the Ethernet header of the frame inside.
pub fn of_shim(shim: &Shim, is_ipv4: bool) -> u32 {
    match shim {
        Shim::Vni { encapsulation, .. } => outer_headers(*encapsulation, is_ipv4),
        Shim::L2tp { cookie, sublayer, udp, .. } => {
            l2tp_headers(*udp, cookie.as_ref(), *sublayer, is_ipv4)
        }
    }
}

/// What an end of a pseudowire adds to a packet.
pub fn of_pseudowire(end: &Pseudowire) -> u32 {
    of_shim(&Shim::of(end), end.to.is_none_or(|to| to.is_ipv4()))
}

/// What of the network is too small for something.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Narrow {
    /// A port, or what is behind it.
    Port(PortId),
    /// A WAN path.
    Wan(WanId),
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

impl State {
    /// The largest packet that what lies between the ends of a pseudowire leaves room for, as far as MTUs are
    /// written, and what leaves the least.
    pub fn room_under(&self, id: PseudowireId) -> Option<(u32, Narrow)> {
        let fabric = self.fabric();
        let crossed = self.under_wire(id, &mut Towards::default());
        let ends = |port| [Some(port), self.far(port)].into_iter().flatten();
        let ports = crossed.ports.into_iter().flat_map(ends);
        let ports = ports.filter_map(|port| Some((fabric.mtu_of(port)?, Narrow::Port(port))));
        let wans = crossed.wans.into_iter();
        let wans = wans.filter_map(|wan| Some((fabric.wan(wan).mtu?.get(), Narrow::Wan(wan))));
        let (least, narrow) = ports.chain(wans).min()?;
        Some((least.saturating_sub(of_pseudowire(fabric.pseudowire(id))), narrow))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]
    fn headers_of_l2tpv3_in_all_ways() {
        // Over UDP, octets of the cookie, sublayer; over IPv4 and IPv6. By hand: IP 20 or 40; UDP 8 with flags and version 4
        // (RFC 3931 section 4.1.2.1); session 4 and cookie 0, 4 or 8 (section 4.1); sublayer 4 (section 4.6); Ethernet 14.
        let table = [
            (false, 0, false, 38, 58),
            (false, 4, false, 42, 62),
            (false, 8, false, 46, 66),
            (false, 0, true, 42, 62),
            (false, 4, true, 46, 66),
            (false, 8, true, 50, 70),
            (true, 0, false, 50, 70),
            (true, 4, false, 54, 74),
            (true, 8, false, 58, 78),
            (true, 0, true, 54, 74),
            (true, 4, true, 58, 78),
            (true, 8, true, 62, 82),
        ];
        for (udp, octets, sublayer, v4, v6) in table {
            let cookie = (octets > 0).then(|| "00".repeat(octets).parse::<Cookie>().unwrap());
            let bytes =
                [true, false].map(|is_v4| l2tp_headers(udp, cookie.as_ref(), sublayer, is_v4));
            assert_eq!(bytes, [v4, v6], "UDP {udp}, cookie {octets}, sublayer {sublayer}");
        }
    }
}
