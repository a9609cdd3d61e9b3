//! Losses that cannot break a walk, told from the walk over all its equal ways.
//!
//! What is said here must hold: a loss that is called harmless is not tried. Everything else is, in a state of
//! its own. What makes a loss harmless:
//!
//! - routed ways: of all shortest ways those without the lost link or router are left, and are the shortest
//!   still; a router stops using a neighbor that has none left;
//! - a LAG and a bond go on with the members that are left, if these are as many as they need, so all of
//!   those must lead on;
//! - a side of a pair whose own port is lost sends over the peer link;
//! - the routes that EVPN brought are still brought, by another speaker, with the same next hop.

use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::expect::Lost;
use super::path::{Act, End, Exit, Hop, Known, Path, Side, Table};
use super::{Answer, Asker, Resolution, Walk};
use crate::behavior::State;
use crate::fabric::{
    CableId, DeviceId, DeviceKind, Fabric, InterfacePlace, LagId, PortId, PresenceId, RouterId,
    VrfId,
};
use crate::value::{Family, Protocol};

/// What is asked again and again.
#[derive(Debug)]
pub(super) struct Memory {
    /// Whether routers spread packets over all equal ways, and EVPN is told over an underlay of its own.
    plain: bool,
    /// The speakers that bring the routes of a class of speakers to another, all alike.
    bringers: FxHashMap<(RouterId, RouterId), SmallVec<[RouterId; 4]>>,
    /// Whether two routers are joined without something.
    joined: FxHashMap<(RouterId, RouterId, Lost), bool>,
}

impl Memory {
    pub(super) fn new(fabric: &Fabric, state: &State) -> Self {
        let all_ways = fabric.routers.values().all(|router| router.max_paths.is_none());
        Self {
            plain: all_ways && state.bgp().is_used() && !state.underlay.bgp.is_used(),
            bringers: FxHashMap::default(),
            joined: FxHashMap::default(),
        }
    }
}

/// The cables and devices of a path.
#[derive(Debug, Default)]
struct Marks {
    cables: FxHashSet<CableId>,
    devices: FxHashSet<DeviceId>,
}

/// A walk with what each of its ways is made of.
#[derive(Debug)]
pub(super) struct Marked<'w> {
    walk: &'w Walk,
    marks: FxHashMap<*const Path, Marks>,
}

impl<'w> Marked<'w> {
    pub(super) fn of(fabric: &Fabric, walk: &'w Walk) -> Self {
        let asked = walk.resolutions.iter();
        let asked = asked.flat_map(|one| std::iter::once(&one.request).chain(&one.reply));
        let marks = asked.chain(walk.paths()).map(|path| {
            let mut marks = Marks::default();
            for hop in &path.hops {
                marks.devices.insert(hop.device);
                let cables = hop.exits.iter().filter_map(|exit| fabric.link(exit.port));
                marks.cables.extend(cables.map(|(cable, _)| cable));
            }
            (std::ptr::from_ref(path), marks)
        });
        Self { walk, marks: marks.collect() }
    }
}

struct Question<'a> {
    fabric: &'a Fabric,
    state: &'a State,
    cable: Option<CableId>,
    switch: Option<DeviceId>,
    lost: &'a Lost,
    /// How large a packet must get through, which the way round over a peer link may not take.
    room: Option<u32>,
    memory: &'a mut Memory,
}

/// Whether a loss cannot break a walk that arrives by all its ways.
pub(super) fn is_harmless(
    fabric: &Fabric,
    state: &State,
    marked: &Marked<'_>,
    lost: &Lost,
    room: Option<u32>,
    memory: &mut Memory,
) -> bool {
    let (cable, switch) = match lost {
        Lost::Cable(cable) => (Some(*cable), None),
        Lost::Switch(switch) => (None, Some(*switch)),
        _ => return false,
    };
    // Where the spanning tree, a stack or a choice of fewer paths has a say, it is tried.
    if !memory.plain {
        return false;
    }
    let mut question = Question { fabric, state, cable, switch, lost, room, memory };
    if !question.is_simple() {
        return false;
    }
    let asked: Vec<&Path> =
        marked.walk.resolutions.iter().flat_map(|one| question.still_asked(one)).collect();
    let mut paths = asked.into_iter().chain(marked.walk.paths());
    paths.all(|path| question.survives(path, &marked.marks[&std::ptr::from_ref(path)]))
}

impl Question<'_> {
    /// The ways of a question for a MAC address and of its answer that must still be there.
    fn still_asked<'w>(&self, one: &'w Resolution) -> SmallVec<[&'w Path; 2]> {
        let switch = |presence: PresenceId| Some(self.fabric.presence(presence).switch);
        // A switch that is off asks nothing.
        if matches!(one.asker, Asker::Router(asker) if switch(asker) == self.switch) {
            return SmallVec::new();
        }
        let mut paths: SmallVec<[&Path; 2]> = SmallVec::from_iter([&one.request]);
        let answers = match one.answer {
            Some((Answer::Router(by) | Answer::Proxy(by, _), _)) => switch(by),
            _ => None,
        };
        // Where the switch that answers is lost, another that the question comes to straight from the host
        // answers by the same link.
        let another = one.request.hops.iter().any(|hop| {
            let from = hop.entered.and_then(|port| self.state.far(port));
            let host = from.is_some_and(|nic| {
                self.fabric.device(self.fabric.port(nic).device).kind == DeviceKind::Host
            });
            hop.end == Some(End::Arrived) && Some(hop.device) != self.switch && host
        });
        if self.switch.is_none() || answers != self.switch || !another {
            paths.extend(&one.reply);
        }
        paths
    }

    fn is_cut(&self, port: PortId) -> bool {
        self.cable.is_some() && self.fabric.link(port).map(|(cable, _)| cable) == self.cable
    }

    /// Whether a cable leads to a host, joins two routers, or is one of several of a LAG that goes on without
    /// it. What bridges are joined by is for the spanning tree to say.
    fn is_simple(&self) -> bool {
        let Some(cable) = self.cable else { return true };
        if !self.is_underlay() {
            return true;
        }
        self.fabric.cable(cable).ends.iter().all(|end| {
            let port = end.value;
            let router = self.fabric.router_of(self.fabric.port(port).device);
            let mut interfaces = router.into_iter().flat_map(|router| router.interfaces.iter());
            match self.fabric.lag_of(port) {
                Some(lag) => self.goes_on(lag),
                None => interfaces
                    .any(|id| self.fabric.interface(id).place == InterfacePlace::Port(port)),
            }
        })
    }

    /// Whether the bonds of the hosts on a path have members enough without a switch.
    fn bonds_go_on(&self, path: &Path) -> bool {
        let Some(switch) = self.switch else { return true };
        let ports =
            path.hops.iter().flat_map(|hop| &hop.exits).flat_map(|exit| [exit.port, exit.into]);
        let of_hosts = ports.filter(|&port| {
            self.fabric.device(self.fabric.port(port).device).kind == DeviceKind::Host
        });
        let bonds: FxHashSet<LagId> = of_hosts.filter_map(|nic| self.fabric.lag_of(nic)).collect();
        bonds.into_iter().all(|bond| {
            let of = self.fabric.lag(bond);
            let lost = of.members.iter().filter(|&member| {
                let far = self.state.member(member).far;
                far.is_some_and(|far| self.fabric.port(far).device == switch)
            });
            let lost = u32::try_from(lost.count()).unwrap_or(u32::MAX);
            let needed = u32::from(of.min_members.value).max(1);
            self.state.lag(bond).in_use.saturating_sub(lost) >= needed
        })
    }

    fn survives(&mut self, path: &Path, marks: &Marks) -> bool {
        let touched = self.switch.is_some_and(|switch| marks.devices.contains(&switch))
            || self.cable.is_some_and(|cable| marks.cables.contains(&cable));
        if touched {
            // What is only routed has no part in what is bridged elsewhere on the way, and what no tree
            // sees has none but where it is.
            let (routed, unseen) = (self.is_routed_only(), self.is_unseen_by_trees());
            let plain = path.hops.iter().all(|hop| {
                let bridged = !routed && (!unseen || self.is_at(hop));
                (!bridged || self.is_plain(hop)) && self.goes_on_from(hop)
            });
            if !plain || !self.bonds_go_on(path) || !self.stays_whole(path) {
                return false;
            }
        }
        let underlay = self.switch.is_some() || self.is_underlay();
        !underlay || path.hops.iter().all(|hop| self.stays_told(hop))
    }

    /// Whether the lost cable is one between routers.
    fn is_underlay(&self) -> bool {
        self.cable.is_some_and(|cable| {
            self.fabric.cable(cable).ends.iter().all(|end| {
                self.fabric.device(self.fabric.port(end.value).device).kind == DeviceKind::Switch
            })
        })
    }

    /// Whether nothing but hosts, pairs and routers has a say at a hop.
    fn is_plain(&self, hop: &Hop) -> bool {
        let made = self.fabric.device(hop.device);
        let bridges = hop.acts.iter().any(|act| {
            matches!(
                act,
                Act::Bridges { side: Side::Behind(_) } | Act::Enters { presence: None, .. }
            )
        });
        made.stack.is_none() && !bridges
    }

    /// Whether no LAG is broken on the way from a hop, and none of it leads over a WAN.
    fn goes_on_from(&self, hop: &Hop) -> bool {
        hop.exits.iter().all(|exit| exit.wan.is_none() && self.carries_on(exit))
    }

    /// Whether what is lost carries no VLAN at all: a cable between routed ports, a switch that only routes.
    fn is_routed_only(&self) -> bool {
        let bridges = |port: PortId| {
            self.fabric.lag_of(port).is_some()
                || self.fabric.settings_of(port).is_some_and(|settings| {
                    settings.untagged.is_some() || !settings.tagged.value.is_empty()
                })
        };
        match (self.cable, self.switch) {
            (Some(cable), _) => {
                let ends = self.fabric.cable(cable).ends;
                self.is_underlay() && !ends.iter().any(|end| bridges(end.value))
            }
            (_, Some(switch)) => {
                let made = self.fabric.device(switch);
                made.stack.is_none()
                    && made.pair.is_none()
                    && self.fabric.presences_on(switch).is_empty()
                    && !made.ports.iter().any(bridges)
            }
            _ => false,
        }
    }

    /// Whether no spanning tree sees the lost cable: it leads to a host, or is one of several of a link of a
    /// pair, which is one bridge.
    fn is_unseen_by_trees(&self) -> bool {
        let Some(cable) = self.cable else { return false };
        let ends = self.fabric.cable(cable).ends.map(|end| end.value);
        let made = |port: PortId| self.fabric.device(self.fabric.port(port).device);
        let of_pair = |&port: &PortId| {
            let side = made(port).pair.map(|(pair, side)| &self.fabric.pair(pair).sides[side]);
            let lag = self.fabric.lag_of(port).filter(|&lag| self.goes_on(lag));
            side.zip(lag).is_some_and(|(side, lag)| side.links().any(|link| link == lag))
        };
        ends.iter().any(|&port| made(port).kind == DeviceKind::Host) || ends.iter().all(of_pair)
    }

    /// Whether the lost cable is in a device that a hop is at.
    fn is_at(&self, hop: &Hop) -> bool {
        self.cable.is_some_and(|cable| {
            let ends = &self.fabric.cable(cable).ends;
            ends.iter().any(|end| self.fabric.port(end.value).device == hop.device)
        })
    }

    /// Whether the LAG of a port that is cut goes on with what is left of it.
    fn carries_on(&self, exit: &Exit) -> bool {
        if !self.is_cut(exit.port) {
            return true;
        }
        [exit.port, exit.into].into_iter().all(|port| match self.fabric.lag_of(port) {
            Some(lag) => self.goes_on(lag) || self.is_half(lag),
            None => true,
        })
    }

    /// Whether a LAG has members enough without one.
    fn goes_on(&self, lag: LagId) -> bool {
        let outcome = self.state.lag(lag);
        let of = self.fabric.lag(lag);
        let needed = u32::from(of.min_members.value).max(1);
        let spoken = matches!(of.protocol.value, Protocol::Lacp | Protocol::Static);
        spoken && !outcome.tangled && outcome.in_use > needed
    }

    /// Whether a LAG is one half of a pair's, or a leg of an Ethernet segment: the other goes on.
    fn is_half(&self, lag: LagId) -> bool {
        let of = self.fabric.lag(lag);
        (of.group.is_some() || of.segment.is_some()) && !self.state.lag(lag).tangled
    }

    /// Whether every start of a path still leads to an end.
    fn stays_whole(&mut self, path: &Path) -> bool {
        let mut alive: Vec<Option<bool>> = vec![None; path.hops.len()];
        let mut led_to = vec![false; path.hops.len()];
        for exit in path.hops.iter().flat_map(|hop| &hop.exits) {
            led_to[exit.to] = true;
        }
        let starts: Vec<usize> = (0..path.hops.len())
            .filter(|&at| !led_to[at] && Some(path.hops[at].device) != self.switch)
            .collect();
        !starts.is_empty() && starts.into_iter().all(|start| self.leads_on(path, start, &mut alive))
    }

    fn leads_on(&mut self, path: &Path, at: usize, alive: &mut Vec<Option<bool>>) -> bool {
        if let Some(known) = alive[at] {
            return known;
        }
        // Ways lead in no circle; one that did would not lead on.
        alive[at] = Some(false);
        let hop = &path.hops[at];
        let found = Some(hop.device) != self.switch
            && match hop.end {
                Some(End::Arrived) => true,
                Some(End::Stopped(_)) => false,
                None => {
                    let left: Vec<usize> = hop
                        .exits
                        .iter()
                        .filter(|exit| {
                            !self.is_cut(exit.port)
                                && Some(path.hops[exit.to].device) != self.switch
                        })
                        .map(|exit| exit.to)
                        .collect();
                    // Only a router stops using a way that leads nowhere.
                    match routes_out(hop) {
                        true => left.into_iter().any(|to| self.leads_on(path, to, alive)),
                        false if left.is_empty() => self.by_peer_link(hop),
                        false => left.into_iter().all(|to| self.leads_on(path, to, alive)),
                    }
                }
            };
        alive[at] = Some(found);
        found
    }

    /// Whether a side of a pair reaches by the peer link what its own port led to.
    fn by_peer_link(&self, hop: &Hop) -> bool {
        let fabric = self.fabric;
        let Some((pair, side)) = fabric.device(hop.device).pair else { return false };
        let bridges = hop.acts.iter().any(|act| matches!(act, Act::Bridges { side: Side::Here }));
        let grouped = hop.exits.iter().any(|exit| {
            fabric.lag_of(exit.port).is_some_and(|lag| fabric.lag(lag).group.is_some())
        });
        let vlan = hop.presence().and_then(|presence| fabric.presence(presence).vlan);
        let (Some(vlan), true, true) = (vlan, bridges, grouped) else { return false };
        let sides = &fabric.pair(pair).sides;
        let carried = |side: usize| {
            sides[side]
                .links()
                .any(|link| fabric.lag(link).carries(vlan.value) && self.state.lag(link).up)
        };
        let twin = sides[1 - side].switch.value;
        let half_up = hop.exits.iter().any(|exit| {
            let group = fabric.lag_of(exit.port).and_then(|lag| fabric.lag(lag).group);
            let halves = group.map(|group| fabric.group(group).halves);
            let of_twin = halves.and_then(|halves| halves[1 - side]);
            of_twin.is_some_and(|half| self.state.lag(half).up && self.takes(half))
        });
        sides.iter().all(|side| side.links().all(|link| self.takes(link)))
            && Some(twin) != self.switch
            && carried(side)
            && carried(1 - side)
            && half_up
    }

    /// Whether a LAG takes packets as large as must get through.
    fn takes(&self, lag: LagId) -> bool {
        self.fabric.lag(lag).members.iter().all(|member| {
            let mtu = self.fabric.mtu_of(self.fabric.member(member).port.value);
            self.room.zip(mtu).is_none_or(|(room, mtu)| room <= mtu)
        })
    }

    // ---- what EVPN told

    /// Whether what a VTEP uses of others' routes is still brought to it.
    fn stays_told(&mut self, hop: &Hop) -> bool {
        if Some(hop.device) == self.switch {
            return true;
        }
        let mut table: Option<VrfId> = None;
        hop.acts.iter().all(|act| match act {
            Act::Routes { table: Table::Vrf(vrf), .. } => {
                table = Some(*vrf);
                true
            }
            Act::Encapsulates { known, to, .. } => self.known_stays(hop.device, *known, *to, table),
            Act::Suppresses { told, .. } => self.brings(hop.device, *told),
            _ => true,
        })
    }

    fn known_stays(
        &mut self,
        at: DeviceId,
        known: Known,
        to: IpAddr,
        table: Option<VrfId>,
    ) -> bool {
        match known {
            Known::MacIp(there) | Known::Flooded(there) => self.brings(at, there),
            Known::Host(origin) | Known::Prefix(origin) if Some(origin) != self.switch => {
                self.still_brought(at, origin)
            }
            // Another switch with the same next hop must offer the same.
            Known::Host(origin) | Known::Prefix(origin) => {
                let Some(twin) = self.twin(origin) else { return true };
                let shares = self.fabric.vtep_of(twin).is_some_and(|vtep| vtep.value == to);
                let as_told = |vrf: VrfId, switch: DeviceId| {
                    let place = self.fabric.vrf(vrf).place_of(switch)?;
                    let vni = self.fabric.vrf(vrf).switches[place].vni.map(|vni| vni.value);
                    Some((vni, &self.state.evpn().tenant(vrf, place)?.export))
                };
                let same = table.is_some_and(|vrf| {
                    as_told(vrf, twin).is_some_and(|own| as_told(vrf, origin) == Some(own))
                });
                shares && same && self.still_brought(at, twin)
            }
            Known::Frames(_) => false,
        }
    }

    /// Whether the routes for a station at a presence, or at the other side of its pair, still come.
    fn brings(&mut self, at: DeviceId, there: PresenceId) -> bool {
        let presence = self.fabric.presence(there);
        if Some(presence.switch) != self.switch {
            return self.still_brought(at, presence.switch);
        }
        match self.twin(presence.switch) {
            Some(twin) => {
                let same = self.fabric.presence_of(presence.segment, twin);
                let exports = |id| self.state.evpn().instance(id).map(|own| &own.export);
                let maps = same.is_some_and(|id| {
                    self.fabric.presence(id).vni.map(|vni| vni.value)
                        == presence.vni.map(|vni| vni.value)
                        && exports(id) == exports(there)
                });
                maps && self.still_brought(at, twin)
            }
            // Of an Ethernet segment the other leaf is a way of its own.
            None => true,
        }
    }

    fn twin(&self, switch: DeviceId) -> Option<DeviceId> {
        let (pair, side) = self.fabric.device(switch).pair?;
        let twin = self.fabric.pair(pair).sides[1 - side].switch.value;
        (self.fabric.vtep_of(twin).map(|v| v.value) == self.fabric.vtep_of(switch).map(|v| v.value))
            .then_some(twin)
    }

    fn still_brought(&mut self, at: DeviceId, origin: DeviceId) -> bool {
        let router = |device: DeviceId| self.fabric.device(device).router;
        let (Some(at), Some(origin)) = (router(at), router(origin)) else { return false };
        let mut asked = SmallVec::new();
        self.has(at, origin, &mut asked)
    }

    /// Whether a speaker still has what another originates: from it, or from a speaker that still has it.
    fn has(&mut self, at: RouterId, origin: RouterId, asked: &mut SmallVec<[RouterId; 8]>) -> bool {
        if at == origin {
            return true;
        }
        if asked.contains(&at) {
            return false;
        }
        asked.push(at);
        let bringers = self.bringers(at, origin);
        bringers.into_iter().any(|speaker| {
            // What the origin's like brings, the origin itself brings.
            let speaker = if self.fabric.router(speaker).device == self.origin_of(at, origin) {
                origin
            } else {
                speaker
            };
            Some(self.fabric.router(speaker).device) != self.switch
                && self.joined(at, speaker)
                && self.has(speaker, origin, asked)
        })
    }

    /// The device of the speaker that stands for an origin, seen from another.
    fn origin_of(&self, at: RouterId, origin: RouterId) -> DeviceId {
        let (_, stands) = self.state.bgp().alike(at, origin);
        self.fabric.router(stands).device
    }

    /// The peers of a speaker that bring it what another originates, all in the same way as the best.
    fn bringers(&mut self, at: RouterId, origin: RouterId) -> SmallVec<[RouterId; 4]> {
        let bgp = self.state.bgp();
        let key = bgp.alike(at, origin);
        if let Some(known) = self.memory.bringers.get(&key) {
            return known.clone();
        }
        let alike = bgp.bringers(self.fabric, Family::Evpn, key.0, key.1);
        self.memory.bringers.insert(key, alike.clone());
        alike
    }

    /// Whether two routers are joined by the underlay without what is lost.
    fn joined(&mut self, from: RouterId, to: RouterId) -> bool {
        if from == to {
            return true;
        }
        let key = (from, to, self.lost.clone());
        if let Some(&known) = self.memory.joined.get(&key) {
            return known;
        }
        let underlay = self.state.underlay();
        let mut seen = FxHashSet::from_iter([from]);
        let mut queue = std::collections::VecDeque::from([from]);
        let mut met = false;
        while let Some(at) = queue.pop_front() {
            for edge in &underlay.edges[at] {
                let interface = self.fabric.interface(edge.near);
                let cut = match interface.place {
                    InterfacePlace::Port(port) => self.is_cut(port),
                    // One member of a LAG less is no link less, where it goes on; else it is tried.
                    InterfacePlace::Lag(_) | InterfacePlace::Vlan(_) => self.cable.is_some(),
                };
                let off = Some(self.fabric.router(edge.to).device) == self.switch;
                if !cut && !off && seen.insert(edge.to) {
                    met |= edge.to == to;
                    queue.push_back(edge.to);
                }
            }
            if met {
                break;
            }
        }
        self.memory.joined.insert(key, met);
        met
    }
}

/// Whether what leaves a hop is routed.
fn routes_out(hop: &Hop) -> bool {
    hop.acts.iter().any(|act| matches!(act, Act::Underlay { .. }))
}
