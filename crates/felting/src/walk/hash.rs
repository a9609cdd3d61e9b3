//! Numbers for the flows that devices spread over equal ways.

use super::headers::{Headers, Packet};
use crate::behaviour::flow_hash::Hash;
use crate::value::{HashPolicy, MacAddr};

/// Both addresses; the way back is a flow of its own.
fn pair(hash: Hash, packet: &Packet) -> Hash {
    hash.address(packet.from).address(packet.to)
}

/// A number for a flow at one device.
pub(super) fn flow(headers: &Headers, device: MacAddr, policy: HashPolicy) -> u32 {
    let hash = Hash::new().add(&device.octets());
    if let Some(outer) = headers.outer() {
        let hash = hash.address(outer.from).address(outer.to);
        let told = match outer.udp_ports() {
            Some((from, to)) => hash.add(&from.to_be_bytes()).add(&to.to_be_bytes()),
            None => hash.add(&[outer.flow_id().unwrap_or_default()]),
        };
        return told.finish();
    }
    let frame = &headers.frame;
    match policy {
        HashPolicy::MacAddresses => hash.add(&frame.from.octets()).add(&frame.to.octets()).finish(),
        // An echo has no ports.
        HashPolicy::Addresses | HashPolicy::AddressesAndPorts => pair(hash, &frame.packet).finish(),
    }
}

/// What tells a frame's flow from others: a UDP source port out of the range for private use (RFC 7348
/// section 5).
pub(super) fn entropy(headers: &Headers) -> u16 {
    let frame = &headers.frame;
    let hash = Hash::new().add(&frame.from.octets()).add(&frame.to.octets());
    let value = pair(hash, &frame.packet).finish();
    49_152 + u16::try_from(value % 16_384).unwrap_or(0)
}
