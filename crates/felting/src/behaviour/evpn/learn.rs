//! Whether what one VTEP says gets to another, and what that makes of it.

use std::net::IpAddr;

use super::apart::Apart;
use crate::behaviour::State;
use crate::behaviour::bgp::address_of;
use crate::fabric::{DeviceId, Fabric, Overlay, PresenceId, RouterId, SessionId};
use crate::value::{Encapsulation, Family, SingleHomed};

impl State {
    /// The address to which a VTEP sends what another originates: its VTEP address, or the one that a
    /// speaker on the way put in.
    pub(crate) fn next_hop(
        fabric: &Fabric,
        origin: DeviceId,
        rewritten: Option<RouterId>,
    ) -> Option<IpAddr> {
        match rewritten {
            None => fabric.vtep_of(origin).map(|vtep| vtep.value),
            Some(speaker) => address_of(fabric, speaker),
        }
    }

    /// Whether one VTEP of a segment has what another originates for it: the address that it sends to, or
    /// why not.
    pub fn learns(&self, at: PresenceId, from: PresenceId) -> Result<IpAddr, Apart> {
        let fabric = &self.fabric;
        let (here, there) = (fabric.presence(at).switch, fabric.presence(from).switch);
        let next_hop = self.arrives(here, there)?;
        self.imports_from(at, from)?;
        Ok(next_hop)
    }

    /// Whether a VTEP takes what another tells it of a segment, once it has got there.
    pub(super) fn imports_from(&self, at: PresenceId, from: PresenceId) -> Result<(), Apart> {
        let fabric = &self.fabric;
        let (Some(own), Some(theirs)) = (self.evpn.instance(at), self.evpn.instance(from)) else {
            return Err(Apart::NoVtep);
        };
        match () {
            () if !own.imports(&theirs.export) => Err(Apart::Target),
            // RFC 7432 section 6.3: in a VLAN-aware bundle the Ethernet tag tells segments apart.
            () if ethernet_tag(fabric, at) != ethernet_tag(fabric, from) => Err(Apart::Tag),
            () => Ok(()),
        }
    }

    /// Whether a VTEP has what another originates, whatever its targets; the address that it sends to.
    pub(crate) fn arrives(&self, here: DeviceId, there: DeviceId) -> Result<IpAddr, Apart> {
        let fabric = &self.fabric;
        let rewritten = self.told(here, there)?;
        let address = Self::next_hop(fabric, there, rewritten).ok_or(Apart::NextHop)?;
        sends_to(fabric, here, address)?;
        Ok(address)
    }

    /// Whether what a VTEP sends to the address of another gets there, with or without EVPN; that address.
    pub(crate) fn sends(&self, here: DeviceId, there: DeviceId) -> Result<IpAddr, Apart> {
        let fabric = &self.fabric;
        let address = fabric.vtep_of(there).ok_or(Apart::NoVtep)?.value;
        let router = fabric.devices[here].router.ok_or(Apart::NoVtep)?;
        sends_to(fabric, here, address)?;
        let way = self.underlay().delivers(fabric, router, address);
        way.map(|()| address).map_err(|_| Apart::NextHop)
    }

    /// Whether the routes of one VTEP get to another whole; the speaker that put itself in as next hop.
    pub(super) fn told(&self, here: DeviceId, there: DeviceId) -> Result<Option<RouterId>, Apart> {
        let fabric = &self.fabric;
        let router = |device: DeviceId| fabric.devices[device].router;
        let (Some(at), Some(origin)) = (router(here), router(there)) else {
            return Err(Apart::NoVtep);
        };
        let (Some(own), Some(theirs)) = (fabric.overlay_of(here), fabric.overlay_of(there)) else {
            return Err(Apart::NoVtep);
        };
        let parted = |device: DeviceId, overlay: &Overlay| {
            self.withdrawn.contains(&device) && overlay.single_homed == SingleHomed::Shared
        };
        if parted(here, own) || parted(there, theirs) {
            return Err(Apart::Withdrawn);
        }
        let verdict = self.bgp().verdict(fabric, Family::Evpn, origin, at).ok_or_else(|| {
            let no_way = self.bgp().has_no_way(fabric, at, origin);
            if no_way { Apart::NextHop } else { Apart::NotReceived }
        })?;
        if !verdict.communities {
            return Err(Apart::NoCommunities);
        }
        if own.encapsulation.value != theirs.encapsulation.value {
            return Err(Apart::Encapsulation);
        }
        Ok(verdict.rewritten)
    }

    /// The session that brings a switch what another originates by EVPN, if one does.
    pub fn brought_by(&self, at: DeviceId, origin: DeviceId) -> Option<SessionId> {
        let fabric = &self.fabric;
        let (at, origin) = (fabric.devices[at].router?, fabric.devices[origin].router?);
        let found = self.bgp().passing.propagate(fabric, Family::Evpn, &[origin], None);
        found.best[at].as_ref()?.from
    }

    /// Whether frames that one VTEP sends for another arrive there: it has the routes, their next hop is
    /// the far VTEP's, and that listens on the UDP port; the address that they are sent to, or why not.
    pub fn tunnels(&self, at: PresenceId, to: PresenceId) -> Result<IpAddr, Apart> {
        let fabric = &self.fabric;
        let address = self.learns(at, to)?;
        let overlay = |presence: PresenceId| fabric.overlay_of(fabric.presence(presence).switch);
        let (Some(own), Some(theirs)) = (overlay(at), overlay(to)) else {
            return Err(Apart::NoVtep);
        };
        if theirs.vtep.is_none_or(|vtep| vtep.value != address) {
            return Err(Apart::Elsewhere);
        }
        // RFC 7348 section 5, RFC 8926 section 3.3: the destination port is what the receiver listens on.
        let udp = own.encapsulation.value != Encapsulation::Nvgre;
        if udp && own.udp_port.value != theirs.udp_port.value {
            return Err(Apart::UdpPort);
        }
        Ok(address)
    }
}

/// The Ethernet tag of a segment's routes on a VTEP: the VNI in a VLAN-aware bundle (RFC 8365 section 5.1.3), else
/// 0.
pub(crate) fn ethernet_tag(fabric: &Fabric, presence: PresenceId) -> u32 {
    let at = fabric.presence(presence);
    let aware = fabric.segment(at.segment).evi.is_some();
    at.vni.filter(|_| aware).map_or(0, |vni| vni.get())
}

/// What frames travel in, on a VTEP.
pub(crate) fn encapsulation(fabric: &Fabric, device: DeviceId) -> Option<Encapsulation> {
    fabric.overlay_of(device).map(|overlay| overlay.encapsulation.value)
}

/// Whether a VTEP can send to an address of another.
pub(super) fn sends_to(fabric: &Fabric, here: DeviceId, address: IpAddr) -> Result<(), Apart> {
    match fabric.vtep_of(here).map(|vtep| vtep.value) {
        Some(own) if own == address => Err(Apart::Own),
        Some(own) if own.is_ipv4() != address.is_ipv4() => Err(Apart::Family),
        _ => Ok(()),
    }
}
