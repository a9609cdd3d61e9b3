//! Routing, in a tenant's table or the switch's own, and the way through the underlay.

use std::net::IpAddr;
use std::sync::Arc;

use smallvec::SmallVec;

use super::arrival::{Came, Visit};
use super::bridge::{Ports, Remote};
use super::hash;
use super::headers::{self, Destination, Frame, Headers, Outer};
use super::path::{Act, Known, Resolved, Station, Stop, Table};
use super::resolution::Asker;
use super::trace::Tracer;
use super::tunnel::of_wire;
use super::walker::Walker;
use crate::behaviour::carrier::leaves;
use crate::behaviour::evpn::tenant::best_of;
use crate::behaviour::evpn::{knows_addresses, replication};
use crate::behaviour::gateway::is_gateway;
use crate::behaviour::underlay::{Next, Step};
use crate::behaviour::{Hop, NoRoute, Shim, TenantRoute, TenantSource, WayOut};
use crate::diagnostic::At;
use crate::fabric::{
    DeviceId, EndpointId, InterfaceId, InterfacePlace, LagId, OutsideId, PresenceId, SegmentId,
    Side, Vrf, VrfId,
};
use crate::value::{Encapsulation, HashPolicy, Replication, VlanId, Vni};

impl Walker<'_> {
    /// The VTEP that told another of an endpoint together with its IP address (RFC 7432 section 10).
    pub(super) fn known_with_address(
        &self,
        presence: PresenceId,
        endpoint: EndpointId,
        address: IpAddr,
    ) -> Option<PresenceId> {
        let fabric = self.fabric;
        let station = Station::Endpoint(endpoint);
        let written =
            fabric.endpoint(endpoint).addresses.iter().any(|own| own.address() == address);
        let candidates = if written { self.candidates(presence, station) } else { Vec::new() };
        candidates.into_iter().find(|&there| {
            knows_addresses(fabric, there) && self.state.learns(presence, there).is_ok()
        })
    }
}

/// So many look-ups are kept, lest walks from everybody to everybody fill the memory.
const MOST_KNOWN: usize = 100_000;

impl Tracer<'_, '_> {
    /// Routes a packet on a switch by a table; its own goes out with the TTL that it has.
    pub(super) fn route(
        &mut self,
        visit: &mut Visit,
        table: Table,
        headers: Headers,
        own: bool,
    ) -> Result<(), Stop> {
        let packet = headers.frame.packet;
        let presences = self.walker.fabric.presences_on(visit.device).iter().copied();
        let here = presences.into_iter().find(|&presence| {
            let vrf = self.walker.fabric.presence(presence).vrf;
            vrf.map_or(Table::Own, |vrf| Table::Vrf(vrf.value)) == table
                && self.walker.has_address(presence, packet.to)
        });
        if here.is_some() {
            self.arrive(visit);
            return Ok(());
        }
        let mut headers = headers;
        if !own {
            // RFC 791 section 3.2, RFC 8200 section 3: a router that makes it zero discards it.
            let ttl = packet.ttl.checked_sub(1).filter(|&ttl| ttl > 0).ok_or(Stop::Expired)?;
            headers.frame.packet.ttl = ttl;
        }
        match table {
            Table::Vrf(vrf) => self.route_in_vrf(visit, vrf, headers),
            Table::Own => self.route_own(visit, &headers),
        }
    }

    fn route_in_vrf(
        &mut self,
        visit: &mut Visit,
        vrf: VrfId,
        headers: Headers,
    ) -> Result<(), Stop> {
        let state = self.walker.state;
        let to = headers.frame.packet.to;
        let mut vrf = vrf;
        if self.walker.routes.len() >= MOST_KNOWN {
            self.walker.routes.clear();
        }
        let known = self.walker.routes.entry((vrf, visit.device, to));
        let mut routes =
            Arc::clone(known.or_insert_with(|| state.tenant_lookup(vrf, visit.device, to).into()));
        if let Some(route) = routes.first()
            && let TenantSource::Leaked(from) = route.source
        {
            self.act(visit, Act::Routes { table: Table::Vrf(vrf), route: *route });
            vrf = from;
            let mut own = state.lookup_own(vrf, visit.device, to, false);
            best_of(&mut own);
            routes = own.into();
        }
        let Some(first) = routes.first().copied() else {
            return Err(Stop::NoRoute(Table::Vrf(vrf)));
        };
        match first.source {
            TenantSource::Segment(segment) => {
                self.act(visit, Act::Routes { table: Table::Vrf(vrf), route: first });
                self.route_into_segment(visit, segment, &headers)
            }
            TenantSource::Outside(outside) => {
                self.act(visit, Act::Routes { table: Table::Vrf(vrf), route: first });
                self.lead_out(visit, outside, headers)
            }
            TenantSource::Static | TenantSource::Leaked(_) => {
                self.act(visit, Act::Routes { table: Table::Vrf(vrf), route: first });
                Err(Stop::Unmodelled)
            }
            TenantSource::Learned(_) | TenantSource::Host(_) => {
                let mut ways: SmallVec<[TenantRoute; 4]> = SmallVec::new();
                for &route in &*routes {
                    let same =
                        |way: &TenantRoute| (way.next_hop, way.vni) == (route.next_hop, route.vni);
                    if !ways.iter().any(same) {
                        ways.push(route);
                    }
                }
                let chosen = self.choose(visit, &ways, &headers, HashPolicy::Addresses);
                let of = ways.len();
                chosen.into_iter().try_for_each(|route| {
                    self.act(visit, Act::Routes { table: Table::Vrf(vrf), route });
                    self.encapsulate_routed(visit, route, of, &headers)
                })
            }
        }
    }

    /// Sends a routed packet into a segment that the switch has: to the MAC address of who has the address.
    fn route_into_segment(
        &mut self,
        visit: &mut Visit,
        segment: SegmentId,
        headers: &Headers,
    ) -> Result<(), Stop> {
        let fabric = self.walker.fabric;
        let packet = headers.frame.packet;
        let presence = fabric.presence_of(segment, visit.device);
        let Some(presence) = presence else { return Err(Stop::Unknown { presence: None }) };
        let vlan = fabric.presence(presence).vlan;
        let vlan = vlan.ok_or(Stop::Unknown { presence: Some(presence) })?.value;
        let asker = Asker::Router(presence);
        let station = self.walker.owner(packet.to, asker);
        let own = self.own_address(presence, packet.to);
        let mac = match station {
            Station::Endpoint(endpoint) => {
                let mac = fabric.endpoint(endpoint).mac.value;
                let told = self.walker.known_with_address(presence, endpoint, packet.to);
                let by = match told {
                    Some(_) => Resolved::Evpn,
                    None => {
                        let answer = self.walker.resolve(asker, own, packet.to);
                        answer.ok_or(Stop::Unanswered(packet.to))?;
                        Resolved::Asking
                    }
                };
                self.act(visit, Act::Resolves { endpoint, by });
                mac
            }
            _ => {
                let answer = self.walker.resolve(asker, own, packet.to);
                answer.ok_or(Stop::Nobody(packet.to))?.1
            }
        };
        let from = self.walker.router_mac(presence, own);
        let frame =
            Frame { from, to: Destination::Station(mac), tag: None, packet: headers.frame.packet };
        self.act(visit, Act::Enters { vlan, presence: Some(presence) });
        self.bridge(visit, vlan, Came::Own, Headers::bare(frame), station)
    }

    /// The address by which a switch asks in a segment: its own, else the gateway's.
    fn own_address(&self, presence: PresenceId, like: IpAddr) -> IpAddr {
        let settings = self.walker.fabric.settings_at(presence);
        let own = settings.addresses.iter().map(|address| address.address());
        let mut all = own.chain(settings.gateways.iter().map(|gateway| gateway.value));
        all.find(|address| address.is_ipv4() == like.is_ipv4()).unwrap_or(like)
    }

    /// Leads a packet out of the fabric: to the router there if the file has it, else it is out.
    fn lead_out(&mut self, visit: &mut Visit, id: OutsideId, headers: Headers) -> Result<(), Stop> {
        let fabric = self.walker.fabric;
        if !self.walker.fabric.endpoints_with(headers.frame.packet.to).is_empty() {
            return Err(Stop::WentOut(id));
        }
        self.act(visit, Act::LeadsOut(id));
        let way = self.walker.state.way_out(id, visit.device);
        let via = fabric.outside(id).via.map(|via| via.value);
        let (presence, via) = match (way.ok_or(Stop::NoWayOut(id))?, via) {
            (WayOut::Beyond, _) | (_, None) => {
                self.arrive(visit);
                return Ok(());
            }
            (WayOut::Link(interface), Some(via)) => {
                return self.over_link_to(visit, interface, via, headers);
            }
            (WayOut::Segment(presence), Some(via)) => (presence, via),
        };
        let vlan = fabric.presence(presence).vlan.ok_or(Stop::NoWayOut(id))?.value;
        let from = self.walker.router_mac(presence, headers.frame.packet.to);
        let to = Destination::Station(fabric.device(via).mac.value);
        let frame = Frame { from, to, tag: None, packet: headers.frame.packet };
        self.act(visit, Act::Enters { vlan, presence: Some(presence) });
        let station = Station::Beyond(via);
        let sent = self.bridge(visit, vlan, Came::Own, Headers::bare(frame), station);
        sent.map_err(|stop| match stop {
            Stop::Unknown { .. } => Stop::NoWayOut(id),
            stop => stop,
        })
    }

    /// Sends a packet to a router outside over a routed interface.
    fn over_link_to(
        &mut self,
        visit: &mut Visit,
        interface: InterfaceId,
        via: DeviceId,
        headers: Headers,
    ) -> Result<(), Stop> {
        let tag = self.walker.fabric.interface(interface).tag.map(|tag| tag.value);
        let ports = self.walker.state.ports_of(interface);
        let headers = self.between(visit.device, via, tag, headers);
        let chosen = self.choose(visit, &ports, &headers, HashPolicy::Addresses);
        chosen
            .into_iter()
            .try_for_each(|port| self.leave(visit, port, headers.clone(), Station::Beyond(via)))
    }

    /// Routes by the switch's own table: into a segment of its own, or to the next router.
    fn route_own(&mut self, visit: &mut Visit, headers: &Headers) -> Result<(), Stop> {
        let fabric = self.walker.fabric;
        let packet = headers.frame.packet;
        let connected = fabric.segments_with(packet.to).find_map(|(prefix, segment)| {
            let presence = fabric.presence_of(segment, visit.device)?;
            let own = fabric.presence(presence).vrf.is_none() && is_gateway(fabric, presence);
            own.then_some((prefix, segment))
        });
        if let Some((prefix, segment)) = connected {
            self.act(visit, Act::RoutesOwn { prefix, segment });
            return self.route_into_segment(visit, segment, headers);
        }
        let next = self.next(visit, packet.to)?;
        let Some(next) = next else {
            self.arrive(visit);
            return Ok(());
        };
        self.send_on(visit, &next, headers, None)
    }

    fn next(&mut self, visit: &Visit, to: IpAddr) -> Result<Option<Next>, Stop> {
        let fabric = self.walker.fabric;
        let router = fabric.device(visit.device).router.ok_or(Stop::NoRoute(Table::Own))?;
        let state = self.walker.state;
        state.next(router, to, &mut self.walker.towards).map_err(Stop::Underlay)
    }

    // ---- the underlay

    /// Puts outer headers on a frame that is bridged to another VTEP.
    pub(super) fn encapsulate_bridged(
        &mut self,
        visit: &mut Visit,
        presence: PresenceId,
        remotes: &[Remote],
        headers: &Headers,
        station: Station,
    ) -> Result<(), Stop> {
        let chosen = self.choose(visit, remotes, headers, HashPolicy::Addresses);
        let of = remotes.len();
        chosen.into_iter().try_for_each(|remote| {
            let (to, known) = (remote.address, remote.known);
            self.encapsulate(visit, presence, to, known, of, headers.clone(), station)
        })
    }

    /// Puts outer headers with a segment's VNI on a frame, and sends it into the underlay.
    #[allow(clippy::too_many_arguments, reason = "a frame, where it is, and where it goes")]
    pub(super) fn encapsulate(
        &mut self,
        visit: &mut Visit,
        presence: PresenceId,
        to: IpAddr,
        known: Known,
        of: usize,
        headers: Headers,
        station: Station,
    ) -> Result<(), Stop> {
        // The egress assigns the VNI: what its route says goes on the wire (RFC 8365 section 5.1.3).
        let assigns = match known {
            Known::MacIp(there) => there,
            Known::Flooded(there)
                if replication(self.walker.fabric, presence) == Some(Replication::Ingress) =>
            {
                there
            }
            _ => presence,
        };
        let vni = self.walker.fabric.presence(assigns).vni;
        let vni = vni.ok_or(Stop::Unknown { presence: Some(presence) })?.value;
        self.act(visit, Act::Encapsulates { vni, to, known, of });
        self.wrap(visit, vni, to, headers, station)
    }

    /// Puts outer headers with the layer 3 VNI on a routed packet (RFC 9135 section 5.3).
    fn encapsulate_routed(
        &mut self,
        visit: &mut Visit,
        route: TenantRoute,
        of: usize,
        headers: &Headers,
    ) -> Result<(), Stop> {
        let fabric = self.walker.fabric;
        let (switch, known) = match route.source {
            TenantSource::Learned(learnt) => (learnt.switch, Known::Prefix(learnt.switch)),
            TenantSource::Host(learnt) => (learnt.switch, Known::Host(learnt.switch)),
            _ => return Err(Stop::Unmodelled),
        };
        let (Some(to), Some(vni)) = (route.next_hop, route.vni) else {
            return Err(Stop::Unmodelled);
        };
        let router_mac = |device| fabric.overlay_of(device).map(|overlay| overlay.router_mac.value);
        let (from_mac, to_mac) =
            router_mac(visit.device).zip(router_mac(switch)).ok_or(Stop::NotTaken)?;
        let frame = Frame {
            from: from_mac,
            to: Destination::Station(to_mac),
            tag: None,
            packet: headers.frame.packet,
        };
        self.act(visit, Act::Encapsulates { vni, to, known, of });
        self.wrap(visit, vni, to, Headers::bare(frame), Station::Next(switch))
    }

    fn wrap(
        &mut self,
        visit: &mut Visit,
        vni: Vni,
        to: IpAddr,
        headers: Headers,
        station: Station,
    ) -> Result<(), Stop> {
        let fabric = self.walker.fabric;
        let overlay = fabric.overlay_of(visit.device).ok_or(Stop::NotTaken)?;
        let from = overlay.vtep.ok_or(Stop::NotTaken)?.value;
        let mac = fabric.device(visit.device).mac.value;
        let outer = Outer {
            from_mac: mac,
            to_mac: Destination::Station(mac),
            tag: None,
            from,
            to,
            ttl: headers::TTL,
            entropy: hash::entropy(&headers),
            port: u16::try_from(overlay.udp_port.get()).unwrap_or(u16::MAX),
            shim: Shim::Vni { encapsulation: overlay.encapsulation.value, vni },
            // RFC 7348 section 4.3.
            fragments: false,
            wire: None,
        };
        let headers = headers.within(outer);
        let target = visit.receiver.unwrap_or(to);
        match self.next(visit, target)? {
            Some(next) => self.send_on(visit, &next, &headers, Some(station)),
            // Its own address: the other side of the pair has what it sends to.
            None => self.decapsulate(visit, headers, station),
        }
    }

    /// Sends what the end of a pseudowire has put headers on.
    pub(super) fn on_to_far_end(
        &mut self,
        visit: &mut Visit,
        headers: Headers,
        station: Station,
    ) -> Result<(), Stop> {
        let to = headers.outer().ok_or(Stop::Astray)?.to;
        let next = self.next(visit, to).map_err(|stop| of_wire(stop, &headers))?;
        match next {
            Some(next) => self.send_on(visit, &next, &headers, Some(station)),
            None => self.decapsulate(visit, headers, station),
        }
    }

    /// Passes an encapsulated packet on through the underlay, or takes it at its end.
    pub(super) fn transit(
        &mut self,
        visit: &mut Visit,
        headers: Headers,
        station: Station,
    ) -> Result<(), Stop> {
        let mut headers = headers;
        let to = headers.outer().ok_or(Stop::Astray)?.to;
        let target = visit.receiver.unwrap_or(to);
        let next = self.next(visit, target).map_err(|stop| of_wire(stop, &headers))?;
        let Some(outer) = headers.outers.last_mut() else { return Err(Stop::Astray) };
        match next {
            None => self.decapsulate(visit, headers, station),
            Some(next) => {
                outer.ttl = outer.ttl.checked_sub(1).filter(|&ttl| ttl > 0).ok_or(Stop::Expired)?;
                outer.tag = None;
                self.send_on(visit, &next, &headers, Some(station))
            }
        }
    }

    /// Sends a packet to the next router: by one of the ways that are as good, or by all.
    fn send_on(
        &mut self,
        visit: &Visit,
        next: &Next,
        headers: &Headers,
        station: Option<Station>,
    ) -> Result<(), Stop> {
        let (prefix, source, metric) = (next.prefix, next.source, next.metric);
        let of = next.steps.len();
        self.act(visit, Act::Underlay { prefix, source, metric, of });
        let chosen = self.choose(visit, &next.steps, headers, HashPolicy::Addresses);
        chosen.into_iter().try_for_each(|step| match step {
            Step::Hop(hop) => self.over(visit, hop, headers, station),
            Step::Wan(wan, to) => {
                let fabric = self.walker.fabric;
                let way = fabric.wan(wan);
                let ends = way.ends.map(|end| end.value);
                let near = usize::from(fabric.port(ends[0]).device != visit.device);
                let tag = way.tags.get(near).or(way.tags.first()).map(|tag| tag.value);
                let device = fabric.router(to).device;
                let headers = self.between(visit.device, device, tag, headers.clone());
                let station = station.unwrap_or(Station::Next(device));
                self.leave_to(visit, ends[near], ends[1 - near], Some(wan), headers, station)
            }
        })
    }

    /// Sends a packet over one link to the next router.
    fn over(
        &mut self,
        visit: &Visit,
        hop: Hop,
        headers: &Headers,
        station: Option<Station>,
    ) -> Result<(), Stop> {
        let fabric = self.walker.fabric;
        let interface = fabric.interface(hop.interface);
        let ports: Ports = match interface.place {
            InterfacePlace::Port(port) => std::iter::once(port).collect(),
            InterfacePlace::Lag(lag) => self.distributing(lag),
            InterfacePlace::Vlan(vlan) => {
                let pair = fabric.device(visit.device).pair;
                let side = pair.map(|(pair, side)| &fabric.pair(pair).sides[side]);
                let links = side.into_iter().flat_map(Side::links);
                links
                    .filter(|&link| fabric.lag(link).carries(vlan))
                    .flat_map(|link| self.distributing(link))
                    .collect()
            }
        };
        let device = fabric.router(hop.to).device;
        let station = station.unwrap_or(Station::Next(device));
        let chosen = self.choose(visit, &ports, headers, HashPolicy::Addresses);
        if chosen.is_empty() {
            return Err(Stop::Underlay(NoRoute::Unknown(hop.to)));
        }
        chosen.into_iter().try_for_each(|port| {
            let tag = match interface.place {
                InterfacePlace::Vlan(vlan) => leaves(fabric, port, vlan).flatten(),
                _ => interface.tag.map(|tag| tag.value),
            };
            let headers = self.between(visit.device, device, tag, headers.clone());
            self.leave(visit, port, headers, station)
        })
    }

    /// The members of a LAG that distribute.
    fn distributing(&self, lag: LagId) -> Ports {
        let fabric = self.walker.fabric;
        let members = fabric.lag(lag).members.iter();
        members
            .filter(|&member| self.walker.state.member(member).distributing)
            .map(|member| fabric.member(member).port.value)
            .collect()
    }

    /// The headers on the link between two routers.
    fn between(
        &self,
        from: DeviceId,
        to: DeviceId,
        tag: Option<VlanId>,
        headers: Headers,
    ) -> Headers {
        let fabric = self.walker.fabric;
        let (from, to) = (fabric.device(from).mac.value, fabric.device(to).mac.value);
        let to = Destination::Station(to);
        let mut headers = headers;
        match headers.outers.last_mut() {
            Some(outer) => {
                // A packet for a group is addressed to the group on every link.
                let to = if outer.to.is_multicast() { Destination::of_group(outer.to) } else { to };
                *outer = Outer { from_mac: from, to_mac: to, tag, ..*outer };
            }
            None => headers.frame = Frame { from, to, tag, ..headers.frame },
        }
        headers
    }

    /// Takes the outer headers off: for a segment, or for a VRF.
    fn decapsulate(
        &mut self,
        visit: &mut Visit,
        headers: Headers,
        station: Station,
    ) -> Result<(), Stop> {
        let fabric = self.walker.fabric;
        let mut inner = headers;
        let Some(outer) = inner.outers.pop() else { return Err(Stop::Astray) };
        if let Some(taken) = self.leave_wire(visit, &outer, &inner, station) {
            return taken;
        }
        let Shim::Vni { encapsulation, vni } = outer.shim else { return Err(Stop::NotTaken) };
        let overlay = fabric.overlay_of(visit.device).ok_or(Stop::NotTaken)?;
        let udp = encapsulation != Encapsulation::Nvgre;
        // RFC 7348 section 5, RFC 8926 section 3.3: the destination port is what the receiver listens on.
        let listens = !udp || overlay.udp_port.get() == u32::from(outer.port);
        if overlay.encapsulation.value != encapsulation || !listens {
            return Err(Stop::NotTaken);
        }
        let has = |own: Option<At<Vni>>| own.is_some_and(|own| own.value == vni);
        visit.receiver = None;
        let mut own = fabric.presences_on(visit.device).iter().copied();
        if let Some(presence) = own.find(|&own| has(fabric.presence(own).vni)) {
            self.act(visit, Act::Decapsulates { vni, presence });
            let vlan = fabric.presence(presence).vlan;
            let vlan = vlan.ok_or(Stop::Unknown { presence: Some(presence) })?.value;
            return self.bridge(visit, vlan, Came::Tunnel(outer.from), inner, station);
        }
        let here = |vrf: &Vrf| {
            vrf.place_of(visit.device).is_some_and(|place| has(vrf.switches[place].vni))
        };
        let (vrf, _) = fabric.vrfs().find(|(_, vrf)| here(vrf)).ok_or(Stop::VniUnknown(vni))?;
        if inner.frame.to != Destination::Station(overlay.router_mac.value) {
            return Err(Stop::RouterMac);
        }
        self.act(visit, Act::DecapsulatesRouted { vni, vrf });
        self.route(visit, Table::Vrf(vrf), inner, false)
    }
}
