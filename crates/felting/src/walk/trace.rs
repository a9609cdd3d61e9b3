//! Follows a packet from device to device.

use std::collections::VecDeque;
use std::net::IpAddr;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::bridge::Ports;
use super::hash;
use super::headers::{Content, Destination, Frame, Headers, Packet};
use super::path::{Act, End, Exit, Hop, Known, Path, Side, Station, Stop, Table};
use super::{Answer, Asker, Choice, Walker};
use crate::behavior::WayOut;
use crate::behavior::carrier::{Held, Node, enters, leaves};
use crate::behavior::evpn::{elects_by, replication, tag_of};
use crate::behavior::host::nics_in_use;
use crate::fabric::{
    DeviceId, DeviceKind, EndpointId, NetworkId, OutsideId, PortId, PresenceId, Uplink, WanId,
};
use crate::value::{BondProtocol, HashPolicy, MacAddr, Replication, VlanId};

/// Where a packet sets out.
#[derive(Clone, Copy, Debug)]
pub(super) enum Start {
    /// An endpoint sends to whom it has asked for.
    Endpoint { endpoint: EndpointId, answer: Answer, mac: MacAddr, gateway: Option<IpAddr> },
    /// Somebody asks everybody in its segment.
    Asks(Asker),
    /// Somebody answers.
    Answers { answer: Answer, mac: MacAddr, asker: Asker },
    /// A switch sends a packet of its own.
    Routed(PresenceId),
    /// A network outside sends.
    Outside(OutsideId),
}

/// What a device is to do with a packet when it has it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Stage {
    /// An endpoint on the host sends it.
    Emit(EndpointId),
    /// A frame of the switch's own, in a VLAN.
    Bridge(VlanId),
    /// It goes out by a port of a router, with a tag.
    Send(PortId, Option<VlanId>),
    /// A packet to route: the switch's own, or one from outside.
    Route { table: Table, own: bool },
    /// It came in by a port.
    Wire(PortId),
}

/// A packet as it comes to a device.
#[derive(Clone, Copy, Debug)]
pub(super) struct Arrival {
    pub(super) stage: Stage,
    pub(super) headers: Headers,
    pub(super) station: Station,
    /// Which VTEP a copy for a multicast group is followed to.
    pub(super) receiver: Option<IpAddr>,
}

/// What tells one visit of a device from another: outer MAC addresses and the entropy don't.
#[derive(PartialEq, Eq, Hash)]
struct Key {
    device: DeviceId,
    stage: Stage,
    frame: Frame,
    outer: Option<(IpAddr, IpAddr, u8, u32)>,
    station: Station,
    receiver: Option<IpAddr>,
}

/// From where a frame came into a VLAN of a switch.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Came {
    /// From the switch itself.
    Own,
    /// By a port.
    Port(PortId),
    /// From another VTEP.
    Tunnel(IpAddr),
}

/// A path that stops before it has left.
pub(super) fn stopped(device: DeviceId, stop: Stop) -> Path {
    let hop = Hop {
        device,
        entered: None,
        acts: SmallVec::new(),
        exits: SmallVec::new(),
        choices: 1,
        end: Some(End::Stopped(stop)),
    };
    Path { hops: vec![hop] }
}

/// More hops than any sound way has: TTLs end what is routed in a circle before.
const MOST_HOPS: usize = 4096;

pub(super) struct Tracer<'w, 'a> {
    pub(super) walker: &'w mut Walker<'a>,
    path: Path,
    known: FxHashMap<Key, usize>,
    queue: VecDeque<(usize, Arrival)>,
}

/// A device while the packet is there.
pub(super) struct Visit {
    at: usize,
    pub(super) device: DeviceId,
    /// Which part of a stack that has split.
    pub(super) part: usize,
    pub(super) receiver: Option<IpAddr>,
}

impl Visit {
    fn node(&self) -> Node {
        Node { device: self.device, part: self.part }
    }
}

impl Hop {
    /// The segment in which a switch took the frame last.
    pub(super) fn presence(&self) -> Option<PresenceId> {
        self.acts.iter().rev().find_map(|act| match act {
            Act::Enters { presence, .. } => *presence,
            Act::Decapsulates { presence, .. } => Some(*presence),
            _ => None,
        })
    }
}

impl Walker<'_> {
    pub(super) fn trace(&mut self, start: Start, packet: Packet) -> Path {
        let mut tracer = Tracer {
            walker: self,
            path: Path::default(),
            known: FxHashMap::default(),
            queue: VecDeque::new(),
        };
        if let Err((device, stop)) = tracer.start(start, packet) {
            return stopped(device, stop);
        }
        while let Some((at, arrival)) = tracer.queue.pop_front() {
            if tracer.path.hops[at].end.is_none() {
                tracer.visit(at, arrival);
            }
        }
        tracer.path
    }
}

impl Tracer<'_, '_> {
    fn start(&mut self, start: Start, packet: Packet) -> Result<(), (DeviceId, Stop)> {
        let (fabric, state) = (self.walker.fabric, self.walker.state);
        let host = |endpoint| state.host_of(endpoint);
        let frame = |from: MacAddr, to: Destination| Headers {
            outer: None,
            frame: Frame { from, to, tag: None, packet },
        };
        let switch = |presence: PresenceId| fabric.presence(presence).switch;
        let vlan = |presence: PresenceId| {
            let at = fabric.presence(presence);
            at.vlan
                .map(|vlan| vlan.value)
                .ok_or((at.switch, Stop::Unknown { presence: Some(presence) }))
        };
        let (device, stage, headers, station, sends) = match start {
            Start::Endpoint { endpoint, answer, mac, gateway } => {
                let station = match (answer, gateway) {
                    (_, Some(gateway)) if !matches!(answer, Answer::Endpoint(_)) => {
                        Station::Gateway(gateway)
                    }
                    (Answer::Endpoint(other) | Answer::Proxy(_, other), _) => {
                        Station::Endpoint(other)
                    }
                    (Answer::Router(_), _) => Station::Gateway(packet.to),
                };
                let own = fabric.endpoint(endpoint).mac.value;
                let headers = frame(own, Destination::Station(mac));
                let sends = Act::Sends { gateway };
                (host(endpoint), Stage::Emit(endpoint), headers, station, Some(sends))
            }
            Start::Asks(asker) => {
                let from = self.walker.mac_of(asker, packet.from);
                let headers = frame(from, Destination::asked_for(packet.to));
                let station = self.walker.owner(packet.to, asker);
                match asker {
                    Asker::Endpoint(endpoint) => {
                        (host(endpoint), Stage::Emit(endpoint), headers, station, None)
                    }
                    Asker::Router(presence) => {
                        (switch(presence), Stage::Bridge(vlan(presence)?), headers, station, None)
                    }
                }
            }
            Start::Answers { answer, mac, asker } => {
                let to = self.walker.mac_of(asker, packet.to);
                let headers = frame(mac, Destination::Station(to));
                let station = Walker::station_of(asker);
                match answer {
                    Answer::Endpoint(endpoint) => {
                        (host(endpoint), Stage::Emit(endpoint), headers, station, None)
                    }
                    Answer::Router(presence) | Answer::Proxy(presence, _) => {
                        (switch(presence), Stage::Bridge(vlan(presence)?), headers, station, None)
                    }
                }
            }
            Start::Routed(presence) => {
                let device = switch(presence);
                let own = fabric.device(device).mac.value;
                let table =
                    fabric.presence(presence).vrf.map_or(Table::Own, |v| Table::Vrf(v.value));
                let headers = frame(own, Destination::Station(own));
                let stage = Stage::Route { table, own: true };
                (device, stage, headers, Station::Gateway(packet.from), None)
            }
            Start::Outside(id) => return self.start_outside(id, packet),
        };
        let arrival = Arrival { stage, headers, station, receiver: None };
        let at = self.hop(device, None, arrival);
        self.path.hops[at].acts.extend(sends);
        Ok(())
    }

    /// A network outside sends to the switches that lead to it: over the router there, if the file has
    /// it.
    fn start_outside(&mut self, id: OutsideId, packet: Packet) -> Result<(), (DeviceId, Stop)> {
        let fabric = self.walker.fabric;
        let outside = fabric.outside(id);
        let via = outside.via.map(|via| via.value);
        // Somebody leads to it, or it is not there.
        let start = via.unwrap_or(outside.on[0]);
        let own = fabric.device(start).mac.value;
        let mut sent = false;
        let probe = Headers {
            outer: None,
            frame: Frame { from: own, to: Destination::Station(own), tag: None, packet },
        };
        let state = self.walker.state;
        // One that is off answers nobody there.
        let ways_of = |id: OutsideId| -> Vec<(DeviceId, WayOut)> {
            let on = fabric.outside(id).on.iter().copied().filter(|&on| !state.is_off(on));
            on.filter_map(|on| Some((on, state.way_out(id, on)?))).collect()
        };
        // The router there may have other ways in.
        let mut ways = ways_of(id);
        if ways.is_empty() && via.is_some() {
            let alike = fabric.outsides().filter(|(other, made)| {
                let same = made.via.map(|via| via.value) == via;
                *other != id && same && made.vrf.value == outside.vrf.value
            });
            ways.extend(alike.flat_map(|(other, _)| ways_of(other)));
        }
        let count = u32::try_from(ways.len()).unwrap_or(1).max(1);
        for (place, &(border, way)) in ways.iter().enumerate() {
            let chosen = hash::flow(&probe, own, HashPolicy::Addresses) % count;
            let first = self.walker.options.choice == Choice::ByHash;
            if first && u32::try_from(place).ok() != Some(chosen) {
                continue;
            }
            let mac = fabric.device(border).mac.value;
            let mut starts: SmallVec<[(DeviceId, Stage, Station, MacAddr); 2]> = SmallVec::new();
            match way {
                WayOut::Beyond => {
                    let stage = Stage::Route { table: Table::Vrf(outside.vrf.value), own: false };
                    starts.push((border, stage, Station::Gateway(packet.from), own));
                }
                WayOut::Link(interface) => {
                    let ports = state.ports_of(interface);
                    let tag = fabric.interface(interface).tag.map(|tag| tag.value);
                    for far in ports.into_iter().filter_map(|port| state.far(port)) {
                        starts.push((start, Stage::Send(far, tag), Station::Next(border), mac));
                    }
                }
                WayOut::Segment(presence) => {
                    let at = fabric.presence(presence);
                    let Some(vlan) = at.vlan else { continue };
                    let station = Station::Router(presence);
                    let doors = state.doors_of(start, at.segment);
                    match doors[..] {
                        [] => starts.push((start, Stage::Bridge(vlan.value), station, mac)),
                        _ => starts.extend(
                            doors
                                .into_iter()
                                .map(|(port, tag)| (start, Stage::Send(port, tag), station, mac)),
                        ),
                    }
                }
            }
            for (device, stage, station, mac) in starts {
                let frame = Frame { to: Destination::Station(mac), ..probe.frame };
                let headers = Headers { frame, ..probe };
                self.hop(device, None, Arrival { stage, headers, station, receiver: None });
                sent = true;
                if first {
                    break;
                }
            }
        }
        if sent { Ok(()) } else { Err((start, Stop::NoWayOut(id))) }
    }

    /// The hop at which a packet is when it has come to a device; a new one unless it has been there like
    /// this.
    fn hop(&mut self, device: DeviceId, entered: Option<PortId>, arrival: Arrival) -> usize {
        let stage = match arrival.stage {
            // Where the ports of a LAG or of the underlay don't tell, ways come together again.
            Stage::Wire(port) if arrival.headers.outer.is_some() => {
                Stage::Wire(self.walker.fabric.device(device).ports.get(0).unwrap_or(port))
            }
            Stage::Wire(port) => {
                let first = self.walker.fabric.lag_of(port).and_then(|lag| {
                    let member = self.walker.fabric.lag(lag).members.get(0)?;
                    Some(self.walker.fabric.member(member).port.value)
                });
                Stage::Wire(first.unwrap_or(port))
            }
            stage => stage,
        };
        let key = Key {
            device,
            stage,
            frame: arrival.headers.frame,
            outer: arrival.headers.outer.map(|o| (o.from, o.to, o.ttl, o.vni.get())),
            station: arrival.station,
            receiver: arrival.receiver,
        };
        if let Some(&at) = self.known.get(&key) {
            return at;
        }
        let at = self.path.hops.len();
        self.path.hops.push(Hop {
            device,
            entered,
            acts: SmallVec::new(),
            exits: SmallVec::new(),
            choices: 1,
            end: None,
        });
        self.known.insert(key, at);
        if at >= MOST_HOPS {
            self.path.hops[at].end = Some(End::Stopped(Stop::Circle));
        } else {
            self.queue.push_back((at, arrival));
        }
        at
    }

    fn visit(&mut self, at: usize, arrival: Arrival) {
        let device = self.path.hops[at].device;
        let part = match arrival.stage {
            Stage::Wire(port) => self.walker.state.carriers().node(port).part,
            _ => 0,
        };
        let mut visit = Visit { at, device, part, receiver: arrival.receiver };
        let done = match (self.walker.fabric.device(device).kind, arrival.stage) {
            (_, Stage::Emit(endpoint)) => self.emit(&mut visit, endpoint, &arrival),
            (DeviceKind::Host, stage) => self.at_host(&mut visit, stage, &arrival),
            (_, Stage::Bridge(vlan)) => {
                let presence = self.walker.presence_at(device, vlan);
                self.act(&visit, Act::Enters { vlan, presence });
                self.bridge(&mut visit, vlan, Came::Own, arrival.headers, arrival.station)
            }
            (_, Stage::Send(port, tag)) => {
                let frame = Frame { tag, ..arrival.headers.frame };
                let headers = Headers { frame, ..arrival.headers };
                self.leave(&visit, port, headers, arrival.station)
            }
            (_, Stage::Route { table, own }) => self.route(&mut visit, table, arrival.headers, own),
            (_, Stage::Wire(port)) => self.at_switch(&mut visit, port, &arrival),
        };
        if let Err(stop) = done {
            self.path.hops[at].end = Some(End::Stopped(stop));
        }
    }

    pub(super) fn act(&mut self, visit: &Visit, act: Act) {
        self.path.hops[visit.at].acts.push(act);
    }

    pub(super) fn arrive(&mut self, visit: &Visit) {
        self.path.hops[visit.at].end = Some(End::Arrived);
    }

    /// The ways that are taken of some that are as good.
    pub(super) fn choose<T: Copy>(
        &mut self,
        visit: &Visit,
        ways: &[T],
        headers: &Headers,
        policy: HashPolicy,
    ) -> SmallVec<[T; 4]> {
        let hop = &mut self.path.hops[visit.at];
        hop.choices = hop.choices.max(ways.len());
        match (self.walker.options.choice, ways) {
            (_, [_] | []) | (Choice::All, _) => ways.iter().copied().collect(),
            (Choice::ByHash, _) => {
                let mac = self.walker.fabric.device(visit.device).mac.value;
                let count = u32::try_from(ways.len()).unwrap_or(1).max(1);
                let place = hash::flow(headers, mac, policy) % count;
                std::iter::once(ways[place as usize]).collect()
            }
        }
    }

    /// Sends a packet out of a port, to the device at the other end.
    pub(super) fn leave(
        &mut self,
        visit: &Visit,
        port: PortId,
        headers: Headers,
        station: Station,
    ) -> Result<(), Stop> {
        let far = self.walker.state.far(port).ok_or(Stop::LinkDown(port))?;
        self.leave_to(visit, port, far, None, headers, station)
    }

    pub(super) fn leave_to(
        &mut self,
        visit: &Visit,
        port: PortId,
        far: PortId,
        wan: Option<WanId>,
        headers: Headers,
        station: Station,
    ) -> Result<(), Stop> {
        let fabric = self.walker.fabric;
        let of_wan = wan.and_then(|wan| fabric.wan(wan).mtu).map(|mtu| mtu.get());
        let size = headers.on_link(self.walker.size);
        let goes = [fabric.mtu_of(port), of_wan].into_iter().flatten().min();
        if let Some(mtu) = goes.filter(|&mtu| size > mtu) {
            return Err(Stop::TooBig { port, mtu });
        }
        let mtu = goes.into_iter().chain(fabric.mtu_of(far)).min();
        let device = fabric.port(far).device;
        let arrival =
            Arrival { stage: Stage::Wire(far), headers, station, receiver: visit.receiver };
        let to = self.hop(device, Some(far), arrival);
        if to <= visit.at && self.leads_back(to, visit.at) {
            return Err(Stop::Circle);
        }
        let exit = Exit { port, into: far, wan, headers, mtu, to };
        self.path.hops[visit.at].exits.push(exit);
        // What leaves and is too large for the far end is dropped there (IEEE 802.3 clause 4.2.4.2.1).
        if let Some(mtu) = mtu.filter(|&mtu| size > mtu) {
            self.path.hops[to].end = Some(End::Stopped(Stop::TooBig { port: far, mtu }));
        }
        Ok(())
    }

    /// Whether a hop leads to another.
    fn leads_back(&self, from: usize, to: usize) -> bool {
        let mut seen = vec![false; self.path.hops.len()];
        let mut queue = vec![from];
        while let Some(at) = queue.pop() {
            if at == to {
                return true;
            }
            if !std::mem::replace(&mut seen[at], true) {
                queue.extend(self.path.hops[at].exits.iter().map(|exit| exit.to));
            }
        }
        false
    }

    // ---- hosts

    fn emit(&mut self, visit: &mut Visit, id: EndpointId, arrival: &Arrival) -> Result<(), Stop> {
        let (fabric, state) = (self.walker.fabric, self.walker.state);
        let network = state.network_of(id).ok_or(Stop::NoNetwork)?;
        let tag = self.tag_of(id, network)?;
        let by_guest = fabric.endpoint(id).tag.is_some();
        self.act(visit, Act::Takes { network, tag, by_guest });
        let uplink = fabric.network(network).uplink;
        if let Station::Endpoint(other) = arrival.station
            && state.host_of(other) == visit.device
            && let Some(theirs) = state.network_of(other)
            && fabric.network(theirs).uplink == uplink
            && self.tag_of(other, theirs) == Ok(tag)
        {
            self.act(visit, Act::Inside);
            return self.deliver(visit, other, &arrival.headers);
        }
        let bond = match uplink {
            Uplink::Bond(bond) => Some(bond),
            Uplink::Nic(_) => None,
        };
        self.act(visit, Act::Uplink { bond });
        let nics = nics_in_use(fabric, state.fars(), &state.members, id, uplink);
        let policy = bond.and_then(|bond| fabric.bond(bond).hash).map(|hash| hash.value);
        let headers = Headers { frame: Frame { tag, ..arrival.headers.frame }, ..arrival.headers };
        let chosen = self.choose(visit, &nics, &headers, policy.unwrap_or(HashPolicy::Addresses));
        if chosen.is_empty() {
            return Err(Stop::NoUplink);
        }
        chosen.into_iter().try_for_each(|nic| self.leave(visit, nic, headers, arrival.station))
    }

    /// The tag that the frames of an endpoint have when they leave its host.
    fn tag_of(&self, id: EndpointId, network: NetworkId) -> Result<Option<VlanId>, Stop> {
        let endpoint = self.walker.fabric.endpoint(id);
        let tag = tag_of(endpoint, self.walker.fabric.network(network));
        tag.ok_or(endpoint.tag.map_or(Stop::NoTag, |tag| Stop::TagOutside(tag.value)))
    }

    fn at_host(&mut self, visit: &mut Visit, stage: Stage, arrival: &Arrival) -> Result<(), Stop> {
        let (fabric, state) = (self.walker.fabric, self.walker.state);
        let (Stage::Wire(nic), Station::Endpoint(id)) = (stage, arrival.station) else {
            return Err(Stop::Astray);
        };
        if state.host_of(id) != visit.device {
            return Err(Stop::Astray);
        }
        let network = state.network_of(id).ok_or(Stop::NoNetwork)?;
        let uplink = fabric.network(network).uplink;
        let listens = match uplink {
            Uplink::Nic(own) => own == nic,
            // One NIC at a time, or each guest on one: what comes by another is not taken.
            Uplink::Bond(bond) => match fabric.bond(bond).protocol.value {
                BondProtocol::Lacp | BondProtocol::Static | BondProtocol::Proprietary => {
                    fabric.bond(bond).nics.iter().any(|own| own.value == nic)
                }
                _ => nics_in_use(fabric, state.fars(), &state.members, id, uplink).contains(&nic),
            },
        };
        if !listens || self.tag_of(id, network) != Ok(arrival.headers.frame.tag) {
            return Err(Stop::NotItsNetwork);
        }
        self.deliver(visit, id, &arrival.headers)
    }

    /// Hands a frame to an endpoint. One that is no router drops what is for another address (RFC 1122 section
    /// 3.3.1.1).
    fn deliver(&mut self, visit: &Visit, id: EndpointId, headers: &Headers) -> Result<(), Stop> {
        let packet = &headers.frame.packet;
        let mut own = self.walker.fabric.endpoint(id).addresses.iter();
        if !packet.content.is_resolution() && !own.any(|own| own.address() == packet.to) {
            return Err(Stop::NotForwarded(id));
        }
        self.act(visit, Act::Delivers(id));
        self.arrive(visit);
        Ok(())
    }

    // ---- switches

    fn at_switch(
        &mut self,
        visit: &mut Visit,
        port: PortId,
        arrival: &Arrival,
    ) -> Result<(), Stop> {
        let fabric = self.walker.fabric;
        if arrival.station == Station::Beyond(visit.device) {
            self.arrive(visit);
            return Ok(());
        }
        if arrival.headers.outer.is_some() {
            return self.transit(visit, arrival.headers, arrival.station);
        }
        let tag = arrival.headers.frame.tag;
        if let Some(interface) = fabric.interface_on(port, tag) {
            let table = fabric.interface(interface).vrf.map_or(Table::Own, |v| Table::Vrf(v.value));
            let headers =
                Headers { frame: Frame { tag: None, ..arrival.headers.frame }, ..arrival.headers };
            return self.route(visit, table, headers, false);
        }
        let vlan = enters(fabric, port, tag).ok_or(Stop::NotCarried(port, tag))?;
        match self.walker.state.carriers().held(port, vlan) {
            Some(Held::Unused) => return Err(Stop::NotInUse(port)),
            Some(Held::Discarding) => return Err(Stop::Discarding(port)),
            Some(Held::Closed) => return Err(Stop::Closed(port)),
            None => {}
        }
        let presence = self.walker.presence_at(visit.device, vlan);
        self.act(visit, Act::Enters { vlan, presence });
        let headers =
            Headers { frame: Frame { tag: None, ..arrival.headers.frame }, ..arrival.headers };
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
                return self.bridge_out(visit, vlan, came, &ports, side, headers, station);
            }
        }
        let maps = presence.filter(|&own| self.walker.fabric.presence(own).vni.is_some());
        if maps.is_none()
            && let Some((ports, side)) = self.walker.door(visit.node(), vlan)
        {
            let ports = self.without_source(came, ports);
            if !ports.is_empty() {
                return self.bridge_out(visit, vlan, came, &ports, side, headers, station);
            }
        }
        let Some(presence) = presence else { return Err(Stop::Unknown { presence: None }) };
        // What came from a VTEP is not sent to VTEPs again (RFC 7432 section 8.3, RFC 8365 section 8.3).
        if matches!(came, Came::Tunnel(_)) || self.walker.fabric.presence(presence).vni.is_none() {
            return Err(Stop::Unknown { presence: Some(presence) });
        }
        let remotes = if is_group { Vec::new() } else { self.walker.remotes(presence, station) };
        if remotes.is_empty() {
            return self.flood(visit, presence, headers, station, !is_group);
        }
        self.encapsulate_bridged(visit, presence, &remotes, headers, station)
    }

    /// Whether a switch takes a frame for itself: it has the address, or is the router that is meant.
    fn takes(&self, presence: PresenceId, headers: &Headers, station: Station) -> bool {
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
    fn taken(
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
    fn told(
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
    fn without_source(&self, came: Came, ports: Ports) -> Ports {
        let Came::Port(from) = came else { return ports };
        let fabric = self.walker.fabric;
        let lag = fabric.lag_of(from);
        ports
            .into_iter()
            .filter(|&port| port != from && (lag.is_none() || fabric.lag_of(port) != lag))
            .collect()
    }

    #[allow(clippy::too_many_arguments, reason = "a frame, where it is, and where it goes")]
    fn bridge_out(
        &mut self,
        visit: &mut Visit,
        vlan: VlanId,
        came: Came,
        ports: &[PortId],
        side: Side,
        headers: Headers,
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
        let chosen = self.choose(visit, ports, &headers, HashPolicy::AddressesAndPorts);
        chosen.into_iter().try_for_each(|port| {
            let tag = leaves(fabric, port, vlan).ok_or(Stop::NotCarried(port, Some(vlan)))?;
            let headers = Headers { frame: Frame { tag, ..headers.frame }, ..headers };
            self.leave(visit, port, headers, station)
        })
    }

    /// Sends a frame to all other VTEPs of a segment; the copies to those that have the station are
    /// followed.
    fn flood(
        &mut self,
        visit: &mut Visit,
        presence: PresenceId,
        headers: Headers,
        station: Station,
        unknown: bool,
    ) -> Result<(), Stop> {
        let walker = &self.walker;
        let (fabric, state) = (walker.fabric, walker.state);
        let list = state.floods(presence).ok_or(Stop::Unknown { presence: Some(presence) })?;
        let group = list.group;
        self.act(visit, Act::Floods { presence, list, unknown });
        let walker = &self.walker;
        let candidates = walker.candidates(presence, station);
        let mut copied: SmallVec<[(PresenceId, IpAddr); 2]> = SmallVec::new();
        for &there in &candidates {
            let address = walker.vtep(fabric.presence(there).switch);
            if let Some(address) = address.filter(|_| walker.copies_to(presence, there))
                && !copied.iter().any(|(_, known)| *known == address)
            {
                copied.push((there, address));
            }
        }
        if copied.is_empty() {
            return Err(match candidates.first() {
                Some(&there) => {
                    let by_evpn = replication(fabric, presence) == Some(Replication::HeadEnd);
                    let why = by_evpn.then(|| state.copies(presence, there).err());
                    Stop::NoCopy { presence, there, why: why.flatten() }
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
            last = last.and(self.encapsulate(visit, presence, to, known, 1, headers, station));
        }
        if passed {
            return last;
        }
        let (there, address) = copied[0];
        visit.receiver = group.map(|_| address);
        let to = group.unwrap_or(address);
        self.encapsulate(visit, presence, to, Known::Flooded(there), 1, headers, station)
    }

    /// Whether a leaf passes a flooded frame on to an endpoint.
    fn would_pass(&self, from: PresenceId, there: PresenceId, station: Station) -> bool {
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
