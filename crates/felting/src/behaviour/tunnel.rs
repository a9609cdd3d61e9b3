//! Pseudowires: whether what goes in at one end comes out at the other, and which ports they join.

use std::collections::BTreeSet;
use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::link::Links;
use super::underlay::NoRoute;
use crate::fabric::{DeviceId, Fabric, Ids, PortId, Pseudowire, PseudowireId};
use crate::id::IdVec;
use crate::value::{Cookie, UdpPort, Vni, WireOver, WireSession};

/// Why what goes in at an end of a pseudowire doesn't come out at another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum WireFault {
    /// The switch has no address that its packets could be from.
    NoSource,
    /// The address that they are from is none of the switch's.
    NotItsAddress(IpAddr),
    /// The far end's switch has no loopback.
    NoFarAddress(DeviceId),
    /// The far end is the switch itself.
    ToItself,
    /// The network doesn't lead to the far end.
    Unreached(NoRoute),
    /// The switch at the far end has no end of a wire that takes them: none with this id, or VNI.
    NotTaken(DeviceId),
    /// The end with this id expects it over UDP, or not so.
    Over(PseudowireId),
    /// The end with this id listens on another UDP port.
    UdpPort(PseudowireId),
    /// The end with this id expects another cookie, or none.
    Cookie(PseudowireId),
    /// The end with this id expects the sublayer, or none.
    Sublayer(PseudowireId),
    /// The way to the far end leads through the wire itself.
    OverItself,
    /// It is what is lost.
    Cut,
}

/// What became of an end of a pseudowire.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct WireOutcome {
    /// The end at which what goes in here comes out.
    pub sends: Result<PseudowireId, WireFault>,
    /// Whether what goes in there comes out here too.
    pub is_up: bool,
}

/// What marks a packet as one of a pseudowire.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum WireMark {
    /// L2TPv3.
    L2tp {
        /// The session (RFC 3931 section 4.1).
        session: WireSession,
        /// Its cookie.
        cookie: Option<Cookie>,
        /// Whether the layer 2 specific sublayer follows.
        sublayer: bool,
        /// Whether that has sequence numbers, which receivers need not ask for (RFC 3931 section 4.6.1).
        sequence: bool,
        /// Over IP, or over UDP to this port.
        udp: Option<UdpPort>,
    },
    /// VXLAN.
    Vxlan {
        /// The VNI.
        vni: Vni,
        /// To this UDP port.
        udp: UdpPort,
    },
}

impl WireMark {
    /// How an end marks what it sends.
    pub fn of(end: &Pseudowire) -> Self {
        match &end.ids {
            Ids::Session { remote, remote_cookie, .. } => Self::L2tp {
                session: remote.value,
                cookie: remote_cookie.map(|cookie| cookie.value),
                sublayer: end.sublayer.value,
                sequence: end.sequence,
                udp: (end.over.value == WireOver::Udp).then_some(end.to_port.value),
            },
            Ids::Vni(vni) => Self::Vxlan { vni: vni.value, udp: end.to_port.value },
        }
    }
}

/// The end of a pseudowire on a switch that takes a packet: an L2TPv3 session is known by its id alone, and cookie and
/// sublayer are then as that expects them (RFC 3931 section 4.1); with VXLAN the VNI is what tells (RFC 7348 section 4.1).
pub(crate) fn takes(
    fabric: &Fabric,
    device: DeviceId,
    mark: &WireMark,
) -> Result<PseudowireId, WireFault> {
    let own = fabric.pseudowires_on(device).iter();
    let mut ends = own.map(|&id| (id, fabric.pseudowire(id)));
    match *mark {
        WireMark::Vxlan { vni, udp } => {
            let has = |end: &Pseudowire| matches!(&end.ids, Ids::Vni(own) if own.value == vni);
            let (id, end) = ends.find(|(_, end)| has(end)).ok_or(WireFault::NotTaken(device))?;
            if end.udp_port.value == udp { Ok(id) } else { Err(WireFault::UdpPort(id)) }
        }
        WireMark::L2tp { session, cookie, sublayer, udp, .. } => {
            let known = ends.find_map(|(id, end)| match &end.ids {
                Ids::Session { local, local_cookie, .. } if local.value == session => {
                    Some((id, end, local_cookie.map(|cookie| cookie.value)))
                }
                _ => None,
            });
            let (id, end, expected) = known.ok_or(WireFault::NotTaken(device))?;
            let listens = (end.over.value == WireOver::Udp).then_some(end.udp_port.value);
            match (listens, udp) {
                (Some(listens), Some(udp)) if listens != udp => return Err(WireFault::UdpPort(id)),
                (Some(_), None) | (None, Some(_)) => return Err(WireFault::Over(id)),
                _ => {}
            }
            if cookie != expected {
                return Err(WireFault::Cookie(id));
            }
            if sublayer != end.sublayer.value {
                return Err(WireFault::Sublayer(id));
            }
            Ok(id)
        }
    }
}

/// What pseudowires join in a state.
#[derive(Clone, Debug, Default)]
pub(crate) struct Wires {
    pub(crate) outcomes: IdVec<PseudowireId, WireOutcome>,
    /// Of each port whose link is over wires, these, by the ends at which its frames go in.
    pub(super) over: FxHashMap<PortId, SmallVec<[PseudowireId; 1]>>,
    /// Those whose own packets would go through them.
    pub(super) over_itself: BTreeSet<PseudowireId>,
}

impl Wires {
    /// The wires that the link of a port is over, as its frames go through them; none for a cable by itself.
    pub(crate) fn over(&self, port: PortId) -> &[PseudowireId] {
        self.over.get(&port).map_or(&[], SmallVec::as_slice)
    }

    /// The links with those joined that wires which are up lie between: what comes in at one end goes out at the other,
    /// so the ports on the cables there are neighbours.
    pub(crate) fn joined(&mut self, fabric: &Fabric, mut links: Links) -> Links {
        self.over.clear();
        let far = |links: &Links, port: PortId| links.effective[port];
        let mut found: Vec<(PortId, PortId, SmallVec<[PseudowireId; 1]>)> = Vec::new();
        for (id, end) in fabric.pseudowires() {
            let Some(customer) = far(&links, end.port.value) else { continue };
            if fabric.pseudowire_at(customer).is_some() || !has_port(fabric, id) {
                continue;
            }
            let (mut at, mut passed) = (id, SmallVec::new());
            let other = loop {
                if !self.outcomes[at].is_up || passed.contains(&at) {
                    break None;
                }
                passed.push(at);
                let Ok(out) = self.outcomes[at].sends else { break None };
                let Some(next) = far(&links, fabric.pseudowire(out).port.value) else {
                    break None;
                };
                match fabric.pseudowire_at(next) {
                    Some(further) => at = further,
                    None => break Some(next),
                }
            };
            if let Some(other) = other.filter(|&other| other != customer) {
                found.push((customer, other, passed));
            }
        }
        // Of two wires at one port only one has its frames, whatever comes out of the other.
        let ways: FxHashSet<(PortId, PortId)> = found.iter().map(|way| (way.0, way.1)).collect();
        found.retain(|way| ways.contains(&(way.1, way.0)));
        for (customer, other, passed) in found {
            links.effective[customer] = Some(other);
            self.over.insert(customer, passed);
        }
        links
    }

    pub(super) fn is_alike(&self, other: &Self) -> bool {
        let up = |wires: &Self| -> Vec<bool> {
            wires.outcomes.values().map(|outcome| outcome.is_up).collect()
        };
        up(self) == up(other)
    }
}

impl Wires {
    /// Takes those down that lead through themselves.
    pub(super) fn fell(&mut self) {
        for &id in &self.over_itself {
            if self.outcomes[id].is_up {
                self.outcomes[id] = WireOutcome { sends: Err(WireFault::OverItself), is_up: false };
            }
        }
        let down: Vec<PseudowireId> = self
            .outcomes
            .ids()
            .filter(|&id| {
                let outcome = self.outcomes[id];
                outcome.is_up && outcome.sends.is_ok_and(|far| !self.outcomes[far].is_up)
            })
            .collect();
        for id in down {
            self.outcomes[id].is_up = false;
        }
    }
}

/// Whether the frames of its port go to this end: of several ends at one port the first has them.
fn has_port(fabric: &Fabric, id: PseudowireId) -> bool {
    fabric.pseudowire_at(fabric.pseudowire(id).port.value) == Some(id)
}

/// Why a pseudowire doesn't carry what goes in at one end.
pub(crate) fn words(fabric: &Fabric, end: PseudowireId, why: WireFault) -> String {
    let wire = &fabric.pseudowire(end).name.value;
    let on = |id: PseudowireId| fabric.device_name(fabric.pseudowire(id).device);
    match why {
        WireFault::NoSource => {
            format!("{} has no address that packets of {wire} could be from", on(end))
        }
        WireFault::NotItsAddress(address) => {
            format!("packets of {wire} are from {address}, which is none of {}", on(end))
        }
        WireFault::NoFarAddress(far) => {
            format!("{}, the far end of {wire}, has no loopback", fabric.device_name(far))
        }
        WireFault::ToItself => format!("the far end of {wire} is an address of {} itself", on(end)),
        WireFault::Unreached(_) => format!("no route leads to the far end of {wire}"),
        WireFault::NotTaken(device) => match &fabric.pseudowire(end).ids {
            Ids::Session { remote, .. } => {
                format!(
                    "{} has no pseudowire with session {}",
                    fabric.device_name(device),
                    remote.value
                )
            }
            Ids::Vni(vni) => {
                format!("{} has no pseudowire with VNI {}", fabric.device_name(device), vni.value)
            }
        },
        WireFault::Over(far) => {
            let over = fabric.pseudowire(far).over.value.word().to_uppercase();
            format!("{} expects {wire} over {over}", on(far))
        }
        WireFault::UdpPort(far) => {
            let port = fabric.pseudowire(far).udp_port.value;
            format!("{} listens for {wire} on UDP port {port}", on(far))
        }
        WireFault::Cookie(far) => match &fabric.pseudowire(far).ids {
            Ids::Session { local_cookie: Some(cookie), .. } => {
                format!("{} expects the cookie {}", on(far), cookie.value)
            }
            _ => format!("{} expects no cookie", on(far)),
        },
        WireFault::Sublayer(far) => match fabric.pseudowire(far).sublayer.value {
            true => format!("{} expects the layer 2 specific sublayer", on(far)),
            false => format!("{} expects no layer 2 specific sublayer", on(far)),
        },
        WireFault::Cut => format!("{wire} is cut"),
        WireFault::OverItself => format!("the way to the far end leads through {wire} itself"),
    }
}
