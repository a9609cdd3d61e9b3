//! What switches do with frames in a VLAN.

use std::net::IpAddr;

use smallvec::SmallVec;

use super::arrival::{Arrival, Came, Visit};
use super::bridge::Ports;
use super::headers::{Content, Destination, Frame, Headers};
use super::path::{Act, Bridging, Known, Station, Stop, Table};
use super::trace::Tracer;
use crate::behaviour::Apart;
use crate::behaviour::carrier::{Held, classified, has_vlan, leaves};
use crate::behaviour::evpn::elects_by;
use crate::fabric::{EndpointId, PortId, PresenceId};
use crate::value::{HashPolicy, VlanId};

impl Tracer<'_, '_> {
    pub(super) fn at_switch(
        &mut self,
        visit: &mut Visit,
        port: PortId,
        arrival: &Arrival,
    ) -> Result<(), Stop> {
        let fabric = self.walker.fabric;
        if let Some(end) = fabric.pseudowire_at(port) {
            return self.enter_wire(visit, end, arrival.headers.clone(), arrival.station);
        }
        if arrival.station == Station::Beyond(visit.device) {
            self.arrive(visit);
            return Ok(());
        }
        if arrival.headers.outer().is_some() {
            return self.transit(visit, arrival.headers.clone(), arrival.station);
        }
        let tag = arrival.headers.frame.tag;
        if let Some(interface) = fabric.interface_on(port, tag) {
            let table = fabric.interface(interface).vrf.map_or(Table::Own, |v| Table::Vrf(v.value));
            let headers = arrival.headers.around(Frame { tag: None, ..arrival.headers.frame });
            return self.route(visit, table, headers, false);
        }
        let vlan = classified(fabric, port, tag).ok_or(Stop::NotCarried(port, tag))?;
        if !has_vlan(fabric, visit.device, vlan) {
            return Err(Stop::NoVlan(vlan));
        }
        match self.walker.state.carriers().held(port, vlan) {
            Some(Held::Unused) => return Err(Stop::NotInUse(port)),
            Some(Held::Discarding) => return Err(Stop::Discarding(port)),
            Some(Held::Closed) => return Err(Stop::Closed(port)),
            None => {}
        }
        let presence = self.walker.presence_at(visit.device, vlan);
        self.act(visit, Act::Enters { vlan, presence });
        let headers = arrival.headers.around(Frame { tag: None, ..arrival.headers.frame });
        self.bridge(visit, vlan, Came::Port(port), headers, arrival.station)
    }

    /// Passes a frame on in a VLAN of a switch, or takes it if it is for the switch.
    pub(super) fn bridge(
        &mut self,
        visit: &mut Visit,
        vlan: VlanId,
        came: Came,
        headers: Headers,
        station: Station,
    ) -> Result<(), Stop> {
        let presence = self.walker.presence_at(visit.device, vlan);
        if let Some(presence) = presence
            && came != Came::Own
            && self.takes(presence, &headers, station)
        {
            return self.taken(visit, presence, headers);
        }
        if let Station::Beyond(device) = station
            && device == visit.device
        {
            self.arrive(visit);
            return Ok(());
        }
        let asks = headers.frame.packet.content == Content::WhoHas;
        let is_group = headers.frame.to.is_group();
        if let (true, Some(presence), Station::Endpoint(endpoint)) = (asks, presence, station)
            && let Some(told) = self.told(presence, endpoint, headers.frame.packet.to)
            && matches!(came, Came::Port(_))
        {
            self.act(visit, Act::Suppresses { endpoint, told });
            self.arrive(visit);
            return Ok(());
        }
        if let Some((ports, side)) = self.walker.locate(visit.node(), vlan, station) {
            let ports = self.without_source(came, ports);
            if !ports.is_empty() {
                return self.bridge_out(visit, vlan, came, &ports, side, &headers, station);
            }
        }
        let maps = presence.filter(|&own| self.walker.fabric.presence(own).vni.is_some());
        if maps.is_none()
            && let Some((ports, side)) = self.walker.door(visit.node(), vlan)
        {
            let ports = self.without_source(came, ports);
            if !ports.is_empty() {
                return self.bridge_out(visit, vlan, came, &ports, side, &headers, station);
            }
        }
        let Some(presence) = presence else { return Err(Stop::Unknown { presence: None }) };
        // What came from a VTEP is not sent to VTEPs again (RFC 7432 section 8.3, RFC 8365 section 8.3).
        if matches!(came, Came::Tunnel(_)) || self.walker.fabric.presence(presence).vni.is_none() {
            return Err(Stop::Unknown { presence: Some(presence) });
        }
        let remotes = if is_group { Vec::new() } else { self.walker.remotes(presence, station) };
        if remotes.is_empty() {
            return self.flood(visit, presence, &headers, station, !is_group);
        }
        self.encapsulate_bridged(visit, presence, &remotes, &headers, station)
    }

    /// Whether a switch takes a frame for itself: it has the address, or is the router that is meant.
    pub(super) fn takes(&self, presence: PresenceId, headers: &Headers, station: Station) -> bool {
        let walker = &self.walker;
        let (own, address) = match station {
            Station::Gateway(address) => (walker.has_address(presence, address), address),
            Station::Router(router) => (router == presence, headers.frame.packet.to),
            _ => return false,
        };
        let mac = match headers.frame.to {
            Destination::Station(mac) => Some(mac),
            Destination::Group(_) => None,
        };
        own && mac.is_none_or(|mac| {
            mac == walker.router_mac(presence, address)
                || mac == walker.fabric.device(walker.fabric.presence(presence).switch).mac.value
        })
    }

    /// What a switch does with a frame for itself.
    pub(super) fn taken(
        &mut self,
        visit: &mut Visit,
        presence: PresenceId,
        headers: Headers,
    ) -> Result<(), Stop> {
        match headers.frame.packet.content {
            Content::WhoHas => {
                self.act(visit, Act::Answers);
                self.arrive(visit);
                Ok(())
            }
            Content::IHave => {
                self.arrive(visit);
                Ok(())
            }
            Content::EchoRequest | Content::EchoReply => {
                let vrf = self.walker.fabric.presence(presence).vrf;
                let table = vrf.map_or(Table::Own, |vrf| Table::Vrf(vrf.value));
                self.route(visit, table, headers, false)
            }
        }
    }

    /// The VTEP that told another of an endpoint with its IP address, so that this answers for it (RFC 9161).
    pub(super) fn told(
        &self,
        presence: PresenceId,
        endpoint: EndpointId,
        address: IpAddr,
    ) -> Option<PresenceId> {
        let walker = &self.walker;
        let overlay = walker.fabric.overlay_of(walker.fabric.presence(presence).switch)?;
        if !overlay.suppression {
            return None;
        }
        walker.known_with_address(presence, endpoint, address)
    }

    /// Not back where it came from.
    pub(super) fn without_source(&self, came: Came, ports: Ports) -> Ports {
        let Came::Port(from) = came else { return ports };
        let fabric = self.walker.fabric;
        let lag = fabric.lag_of(from);
        ports
            .into_iter()
            .filter(|&port| port != from && (lag.is_none() || fabric.lag_of(port) != lag))
            .collect()
    }

    #[allow(clippy::too_many_arguments, reason = "a frame, where it is, and where it goes")]
    pub(super) fn bridge_out(
        &mut self,
        visit: &mut Visit,
        vlan: VlanId,
        came: Came,
        ports: &[PortId],
        side: Bridging,
        headers: &Headers,
        station: Station,
    ) -> Result<(), Stop> {
        let fabric = self.walker.fabric;
        if let (Came::Tunnel(from), true, Some(&port)) =
            (came, headers.frame.to.is_group(), ports.first())
            && let Some(leg) = fabric.lag_of(port).filter(|&leg| fabric.lag(leg).segment.is_some())
        {
            let of = self.walker.presence_at(visit.device, vlan);
            let segment = of.map(|of| fabric.presence(of).segment);
            let vlan = |leg| elects_by(fabric, segment?, leg);
            let passes = self.walker.state.passes_into(leg, Some(from), vlan);
            if !passes {
                return Err(Stop::NotForwarder(port));
            }
        }
        self.act(visit, Act::Bridges { side });
        let chosen = self.choose(visit, ports, headers, HashPolicy::AddressesAndPorts);
        chosen.into_iter().try_for_each(|port| {
            let tag = leaves(fabric, port, vlan).ok_or(Stop::NotCarried(port, Some(vlan)))?;
            let headers = headers.around(Frame { tag, ..headers.frame });
            self.leave(visit, port, headers, station)
        })
    }

    /// Sends a frame to all other VTEPs of a segment; the copies to those that have the station are
    /// followed.
    pub(super) fn flood(
        &mut self,
        visit: &mut Visit,
        presence: PresenceId,
        headers: &Headers,
        station: Station,
        unknown: bool,
    ) -> Result<(), Stop> {
        let walker = &self.walker;
        let state = walker.state;
        let list = state.floods(presence).ok_or(Stop::Unknown { presence: Some(presence) })?;
        let group = list.group;
        self.act(visit, Act::Floods { presence, list, unknown });
        let walker = &self.walker;
        let candidates = walker.candidates(presence, station);
        let mut copied: SmallVec<[(PresenceId, IpAddr); 2]> = SmallVec::new();
        for &there in &candidates {
            if let Ok(address) = state.copies(presence, there)
                && !copied.iter().any(|(_, known)| *known == address)
            {
                copied.push((there, address));
            }
        }
        if copied.is_empty() {
            return Err(match candidates.first() {
                Some(&there) => {
                    let why = state.copies(presence, there).err().unwrap_or(Apart::NoVtep);
                    Stop::NoCopy { presence, there, why }
                }
                None => Stop::Unknown { presence: Some(presence) },
            });
        }
        // Into an Ethernet segment one of the leaves passes it on; the others' copies end there.
        let mut last = Ok(());
        let mut passed = false;
        for &(there, address) in &copied {
            if copied.len() > 1 && !self.would_pass(presence, there, station) {
                continue;
            }
            passed = true;
            visit.receiver = group.map(|_| address);
            let known = Known::Flooded(there);
            let to = group.unwrap_or(address);
            last =
                last.and(self.encapsulate(visit, presence, to, known, 1, headers.clone(), station));
        }
        if passed {
            return last;
        }
        let (there, address) = copied[0];
        visit.receiver = group.map(|_| address);
        let to = group.unwrap_or(address);
        self.encapsulate(visit, presence, to, Known::Flooded(there), 1, headers.clone(), station)
    }

    /// Whether a leaf passes a flooded frame on to an endpoint.
    pub(super) fn would_pass(&self, from: PresenceId, there: PresenceId, station: Station) -> bool {
        let Station::Endpoint(endpoint) = station else { return true };
        let walker = &self.walker;
        let (fabric, state) = (walker.fabric, walker.state);
        let at = fabric.presence(there);
        let Some(leg) = state.leg(at.switch, endpoint) else { return true };
        if fabric.lag(leg).segment.is_none() {
            return true;
        }
        let source = walker.vtep(fabric.presence(from).switch);
        state.passes_into(leg, source, |leg| elects_by(fabric, at.segment, leg))
    }
}
