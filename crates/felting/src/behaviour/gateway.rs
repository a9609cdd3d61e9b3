//! Gateways of segments: which switches route for one, with which addresses.

use std::net::IpAddr;

use crate::diagnostic::At;
use crate::fabric::{Fabric, PresenceId, SegmentSettings, VrfPresence};
use crate::value::{GatewayKind, Irb, MacAddr};

/// Whether a switch routes for a segment that is present on it: it has the gateway, and the VRF.
pub(crate) fn is_gateway(fabric: &Fabric, presence: PresenceId) -> bool {
    let at = fabric.presence(presence);
    // A layer 3 switch that is no VTEP routes in its own table.
    let has_vrf = match at.vrf {
        Some(_) => !lacks_vrf(fabric, presence),
        None => fabric.overlay_of(at.switch).is_none(),
    };
    has_vrf && is_to_be_gateway(fabric, presence)
}

/// Whether a switch would route for a segment if it had the VRF that the segment is in.
pub(crate) fn is_gateway_but_for_vrf(fabric: &Fabric, presence: PresenceId) -> bool {
    lacks_vrf(fabric, presence) && is_to_be_gateway(fabric, presence)
}

fn lacks_vrf(fabric: &Fabric, presence: PresenceId) -> bool {
    let at = fabric.presence(presence);
    at.vrf.is_some_and(|vrf| fabric.vrf(vrf.value).place_of(at.switch).is_none())
}

/// Whether a segment's gateway is meant to be on a switch.
fn is_to_be_gateway(fabric: &Fabric, presence: PresenceId) -> bool {
    let at = fabric.presence(presence);
    let (segment, settings) = (fabric.segment(at.segment), fabric.settings_at(presence));
    let is_vtep = fabric.overlay_of(at.switch).is_some();
    let named = segment.gateway_on.binary_search(&at.switch).is_ok();
    let kind = settings.gateway_kind.value;
    let here = match (segment.gateway_on.is_empty(), kind) {
        (false, GatewayKind::Vrrp) => named && !lacks_own_address(settings),
        (false, _) => named,
        // Without a place of its own, a central or shared gateway is where its address is.
        (true, GatewayKind::Anycast) => true,
        (true, GatewayKind::Central | GatewayKind::Vrrp) => !settings.addresses.is_empty(),
    };
    let addressed = !settings.gateways.is_empty() || !settings.addresses.is_empty();
    let alone =
        fabric.overlays.is_empty() || (!is_vtep && (named || !settings.addresses.is_empty()));
    // A VLAN of one leaf needs no VNI to be routed in its VRF (RFC 9136 section 4.4).
    let routed = is_vtep && at.vrf.is_some();
    here && addressed && (at.vni.is_some() || alone || routed)
}

/// Whether a router that shares a gateway address has none of its own to send advertisements from: of IPv4 they come from
/// its primary address, of IPv6 from a link-local one, which it has (RFC 9568 sections 5.1.1.1 and 5.1.2.1).
pub(crate) fn lacks_own_address(settings: &SegmentSettings) -> bool {
    settings.gateways.iter().any(|gateway| gateway.value.is_ipv4())
        && !settings.addresses.iter().any(|own| own.address().is_ipv4())
}

/// How packets between segments of a VRF cross the fabric, on a switch.
pub(crate) fn irb(fabric: &Fabric, at: &VrfPresence) -> Option<Irb> {
    let overlay = fabric.overlay_of(at.switch)?;
    Some(at.irb.unwrap_or(overlay.irb).value)
}

/// The MAC address that is written for a segment's gateway on a switch, for all VTEPs or for it alone.
pub(crate) fn gateway_mac(fabric: &Fabric, presence: PresenceId) -> Option<At<MacAddr>> {
    let of_overlay = || fabric.overlay_of(fabric.presence(presence).switch)?.gateway_mac;
    fabric.settings_at(presence).gateway_mac.or_else(of_overlay)
}

/// The MAC address by which a switch has a gateway's address in a segment.
pub(crate) fn mac_of_gateway(fabric: &Fabric, presence: PresenceId, gateway: IpAddr) -> MacAddr {
    let settings = fabric.settings_at(presence);
    let shared = settings.gateway_kind.value == GatewayKind::Vrrp;
    match gateway_mac(fabric, presence) {
        _ if shared => MacAddr::of_virtual_router(virtual_router(settings), gateway.is_ipv6()),
        Some(mac) => mac.value,
        None => fabric.device(fabric.presence(presence).switch).mac.value,
    }
}

/// Which virtual router a shared gateway address is.
pub(crate) fn virtual_router(settings: &SegmentSettings) -> u32 {
    settings.vrrp_id.get()
}
