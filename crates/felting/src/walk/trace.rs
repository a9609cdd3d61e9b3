//! Follows a packet from device to device.

use std::collections::VecDeque;
use std::net::IpAddr;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::arrival::{Arrival, Came, Stage, Start, Visit, stopped};
use super::asked::Choice;
use super::hash;
use super::headers::{Frame, Headers, Packet};
use super::path::{Act, End, Exit, Hop, Station, Stop, Way};
use super::walker::Walker;
use crate::behaviour::Shim;
use crate::fabric::{DeviceId, DeviceKind, PortId, WanId};
use crate::value::HashPolicy;

/// What tells one visit of a device from another: outer MAC addresses and the entropy don't.
#[derive(PartialEq, Eq, Hash)]
pub(super) struct Key {
    device: DeviceId,
    stage: Stage,
    frame: Frame,
    outers: SmallVec<[(IpAddr, IpAddr, u8, Shim); 1]>,
    station: Station,
    receiver: Option<IpAddr>,
}

/// More hops than any sound way has: TTLs end what is routed in a circle before.
const MOST_HOPS: usize = 4096;

pub(super) struct Tracer<'w, 'a> {
    pub(super) walker: &'w mut Walker<'a>,
    pub(super) path: Way,
    pub(super) known: FxHashMap<Key, usize>,
    pub(super) queue: VecDeque<(usize, Arrival)>,
}

impl Walker<'_> {
    pub(super) fn trace(&mut self, start: Start, packet: Packet) -> Way {
        let mut tracer = Tracer {
            walker: self,
            path: Way::default(),
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
    /// The hop at which a packet is when it has come to a device; a new one unless it has been there like
    /// this.
    pub(super) fn hop(
        &mut self,
        device: DeviceId,
        entered: Option<PortId>,
        arrival: Arrival,
    ) -> usize {
        let stage = match arrival.stage {
            // Each pseudowire leads elsewhere.
            Stage::Wire(port) if self.walker.fabric.pseudowire_at(port).is_some() => arrival.stage,
            // Where the ports of a LAG or of the underlay don't tell, ways come together again.
            Stage::Wire(port) if arrival.headers.outer().is_some() => {
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
            outers: arrival.headers.outers.iter().map(|o| (o.from, o.to, o.ttl, o.shim)).collect(),
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

    pub(super) fn visit(&mut self, at: usize, arrival: Arrival) {
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
                let headers = arrival.headers.around(Frame { tag, ..arrival.headers.frame });
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
        let far = self.walker.state.plugged(port).ok_or(Stop::LinkDown(port))?;
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
        let most = |port: PortId| fabric.most_at(port).map(|mtu| mtu.get());
        let is_whole = !headers.fragments();
        let goes = [most(port), of_wan].into_iter().flatten().filter(|_| is_whole).min();
        if let Some(mtu) = goes.filter(|&mtu| size > mtu) {
            return Err(Stop::TooBig { port, mtu });
        }
        let comes = goes.into_iter().chain(most(far).filter(|_| is_whole)).min();
        let mtu = [fabric.mtu_of(port), of_wan, fabric.mtu_of(far)].into_iter().flatten().min();
        let device = fabric.port(far).device;
        let arrival = Arrival {
            stage: Stage::Wire(far),
            headers: headers.clone(),
            station,
            receiver: visit.receiver,
        };
        let to = self.hop(device, Some(far), arrival);
        if to <= visit.at && self.leads_back(to, visit.at) {
            return Err(Stop::Circle);
        }
        let exit = Exit { port, into: far, wan, headers, mtu, to };
        self.path.hops[visit.at].exits.push(exit);
        // What leaves and is too large for the far end is dropped there (IEEE 802.3 clause 4.2.4.2.1).
        if let Some(mtu) = comes.filter(|&mtu| size > mtu) {
            self.path.hops[to].end = Some(End::Stopped(Stop::TooBig { port: far, mtu }));
        }
        Ok(())
    }

    /// Whether a hop leads to another.
    pub(super) fn leads_back(&self, from: usize, to: usize) -> bool {
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

    // ---- switches
}
