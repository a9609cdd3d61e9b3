//! Where packets set out.

use smallvec::SmallVec;

use super::arrival::{Arrival, Stage, Start};
use super::asked::Choice;
use super::hash;
use super::headers::{Destination, Frame, Headers, Packet};
use super::path::{Act, Station, Stop, Table};
use super::resolution::{Answer, Asker};
use super::trace::Tracer;
use super::walker::Walker;
use crate::behaviour::WayOut;
use crate::fabric::{DeviceId, OutsideId, PresenceId};
use crate::value::{HashPolicy, MacAddr};

impl Tracer<'_, '_> {
    pub(super) fn start(&mut self, start: Start, packet: Packet) -> Result<(), (DeviceId, Stop)> {
        let (fabric, state) = (self.walker.fabric, self.walker.state);
        let host = |endpoint| state.host_of(endpoint);
        let frame =
            |from: MacAddr, to: Destination| Headers::bare(Frame { from, to, tag: None, packet });
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
    pub(super) fn start_outside(
        &mut self,
        id: OutsideId,
        packet: Packet,
    ) -> Result<(), (DeviceId, Stop)> {
        let fabric = self.walker.fabric;
        let outside = fabric.outside(id);
        let via = outside.via.map(|via| via.value);
        // Somebody leads to it, or it is not there.
        let start = via.unwrap_or(outside.on[0]);
        let own = fabric.device(start).mac.value;
        let mut sent = false;
        let probe =
            Headers::bare(Frame { from: own, to: Destination::Station(own), tag: None, packet });
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
                let headers = probe.around(frame);
                self.hop(device, None, Arrival { stage, headers, station, receiver: None });
                sent = true;
                if first {
                    break;
                }
            }
        }
        if sent { Ok(()) } else { Err((start, Stop::NoWayOut(id))) }
    }
}
