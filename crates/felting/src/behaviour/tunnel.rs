//! Pseudowires: whether what goes in at one end comes out at the other, and which ports they join.

use std::collections::BTreeSet;
use std::fmt;
use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::link::Links;
use super::underlay::NoRoute;
use crate::fabric::{DeviceId, Fabric, Ids, PortId, PresenceId, Pseudowire, PseudowireId};
use crate::id::IdVec;
use crate::value::{Cookie, Encapsulation, UdpPort, Vni, WireEncapsulation, WireOver, WireSession};

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
    /// The VNI is that of a segment there.
    OfSegment(PresenceId),
    /// The other end of the wire carries frames by something else.
    Encapsulation(PseudowireId),
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

impl WireFault {
    /// Whether nothing is sent at all.
    pub(crate) const fn is_at_start(self) -> bool {
        match self {
            Self::NoSource
            | Self::NotItsAddress(_)
            | Self::NoFarAddress(_)
            | Self::ToItself
            | Self::OverItself
            | Self::Cut => true,
            Self::Unreached(_)
            | Self::NotTaken(_)
            | Self::OfSegment(_)
            | Self::Encapsulation(_)
            | Self::Over(_)
            | Self::UdpPort(_)
            | Self::Cookie(_)
            | Self::Sublayer(_) => false,
        }
    }

    /// The rule that is about it; none if what is behind it is no fault of the wire's own.
    pub(crate) const fn rule(self) -> Option<&'static str> {
        match self {
            Self::NoSource | Self::NotItsAddress(_) => Some("tunnel-source-foreign"),
            Self::NotTaken(_) => Some("tunnel-id-clash"),
            Self::OfSegment(_) => Some("tunnel-id-reused"),
            Self::ToItself => Some("tunnel-ends-apart"),
            Self::Encapsulation(_) | Self::Over(_) | Self::UdpPort(_) | Self::Sublayer(_) => {
                Some("tunnel-encapsulation-clash")
            }
            Self::Cookie(_) => Some("tunnel-cookie-clash"),
            Self::OverItself => Some("tunnel-over-itself"),
            Self::NoFarAddress(_) | Self::Unreached(_) | Self::Cut => None,
        }
    }
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

/// The header between the outer IP, or UDP, and the frame: what tells a packet of a tunnel from others.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Shim {
    /// One with a VNI.
    Vni {
        /// Which.
        encapsulation: Encapsulation,
        /// The VNI.
        vni: Vni,
    },
    /// That of L2TPv3 (RFC 3931 section 4.1).
    L2tp {
        /// The id of the session at the receiver.
        session: WireSession,
        /// The cookie that is sent.
        cookie: Option<Cookie>,
        /// Whether the layer 2 specific sublayer follows.
        sublayer: bool,
        /// Whether that has sequence numbers, which receivers need not ask for (RFC 3931 section 4.6.1).
        sequence: bool,
        /// Whether it goes over UDP.
        udp: bool,
    },
}

impl Shim {
    /// What an end of a pseudowire puts on what it sends.
    pub fn of(end: &Pseudowire) -> Self {
        match &end.ids {
            Ids::Session { remote, remote_cookie, .. } => Self::L2tp {
                session: remote.value,
                cookie: remote_cookie.map(|cookie| cookie.value),
                sublayer: end.sublayer.value,
                sequence: end.sequence,
                udp: end.over.value == WireOver::Udp,
            },
            Ids::Vni(vni) => Self::Vni { encapsulation: Encapsulation::Vxlan, vni: vni.value },
        }
    }

    /// What an end of a pseudowire expects on what comes in.
    pub(crate) fn expected(end: &Pseudowire) -> Self {
        match (&end.ids, Self::of(end)) {
            (
                Ids::Session { local, local_cookie, .. },
                Self::L2tp { sublayer, sequence, udp, .. },
            ) => {
                let cookie = local_cookie.map(|cookie| cookie.value);
                Self::L2tp { session: local.value, cookie, sublayer, sequence, udp }
            }
            (_, sent) => sent,
        }
    }

    /// What the frame travels in, in one word of the fabric file.
    pub fn word(self) -> &'static str {
        match self {
            Self::Vni { encapsulation, .. } => encapsulation.word(),
            Self::L2tp { .. } => WireEncapsulation::L2tpv3.word(),
        }
    }

    /// The VNI, if it has one.
    pub fn vni(self) -> Option<Vni> {
        match self {
            Self::Vni { vni, .. } => Some(vni),
            Self::L2tp { .. } => None,
        }
    }
}

impl fmt::Display for Shim {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Vni { encapsulation, vni } => {
                write!(f, "{} VNI {vni}", encapsulation.word().to_uppercase())
            }
            Self::L2tp { session, cookie, sublayer, .. } => {
                write!(f, "L2TPv3 session {session}")?;
                if let Some(cookie) = cookie {
                    write!(f, " cookie {cookie}")?;
                }
                if *sublayer { f.write_str(" sublayer") } else { Ok(()) }
            }
        }
    }
}

/// Whether an end knows a packet by its id: an L2TPv3 session is known by that alone (RFC 3931 section 4.1), with VXLAN the
/// VNI is what tells (RFC 7348 section 4.1).
fn has_id(end: &Pseudowire, shim: &Shim) -> bool {
    match (shim, &end.ids) {
        (Shim::L2tp { session, .. }, Ids::Session { local, .. }) => local.value == *session,
        (Shim::Vni { encapsulation: Encapsulation::Vxlan, vni }, Ids::Vni(own)) => {
            own.value == *vni
        }
        _ => false,
    }
}

/// All that keeps an end from taking a packet that comes to its switch, sent to a UDP port if it goes over UDP: what is put
/// around the frame first, then its id, then its cookie (RFC 3931 sections 4.1 and 4.6, RFC 7348 section 5).
pub(crate) fn misfits(
    fabric: &Fabric,
    id: PseudowireId,
    shim: &Shim,
    port: UdpPort,
) -> SmallVec<[WireFault; 2]> {
    let end = fabric.pseudowire(id);
    let mut found = SmallVec::new();
    let is_over_udp = match (shim, &end.ids) {
        (Shim::L2tp { udp, .. }, Ids::Session { .. }) => {
            let listens = end.over.value == WireOver::Udp;
            if *udp != listens {
                found.push(WireFault::Over(id));
            }
            *udp && listens
        }
        (Shim::Vni { .. }, Ids::Vni(_)) => true,
        _ => return SmallVec::from_iter([WireFault::Encapsulation(id)]),
    };
    if is_over_udp && end.udp_port.value != port {
        found.push(WireFault::UdpPort(id));
    }
    if let Shim::L2tp { sublayer, .. } = shim
        && *sublayer != end.sublayer.value
    {
        found.push(WireFault::Sublayer(id));
    }
    if !has_id(end, shim) {
        found.push(WireFault::NotTaken(end.device));
    }
    if let (Shim::L2tp { cookie, .. }, Ids::Session { local_cookie, .. }) = (shim, &end.ids)
        && *cookie != local_cookie.map(|cookie| cookie.value)
    {
        found.push(WireFault::Cookie(id));
    }
    found
}

/// Whose the id on a packet is at a switch.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Owner {
    /// A segment's: its VNI comes before those of wires.
    Segment(PresenceId),
    /// That of an end of a pseudowire; of several the first.
    Wire(PseudowireId),
}

/// Whose the id on a packet is at a switch.
pub(crate) fn owner(fabric: &Fabric, device: DeviceId, shim: &Shim) -> Option<Owner> {
    let has_vni = |id: &PresenceId| fabric.presence(*id).vni.map(|vni| vni.value) == shim.vni();
    let is_mapped = shim.vni().is_some() && fabric.vtep_of(device).is_some();
    let mut presences = fabric.presences_on(device).iter().copied().filter(|_| is_mapped);
    let mut wires = fabric.pseudowires_on(device).iter().copied();
    let of_segment = presences.find(has_vni).map(Owner::Segment);
    of_segment.or_else(|| wires.find(|&id| has_id(fabric.pseudowire(id), shim)).map(Owner::Wire))
}

/// The end of a pseudowire on a switch that takes a packet.
pub(crate) fn takes(
    fabric: &Fabric,
    device: DeviceId,
    shim: &Shim,
    port: UdpPort,
) -> Result<PseudowireId, WireFault> {
    match owner(fabric, device, shim) {
        None => Err(WireFault::NotTaken(device)),
        Some(Owner::Segment(presence)) => Err(WireFault::OfSegment(presence)),
        Some(Owner::Wire(id)) => {
            misfits(fabric, id, shim, port).first().map_or(Ok(id), |&why| Err(why))
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
        WireFault::OfSegment(presence) => {
            let at = fabric.presence(presence);
            let segment = &fabric.segment(at.segment).name.value;
            format!("on {} the VNI is that of the segment {segment}", fabric.device_name(at.switch))
        }
        WireFault::Encapsulation(far) => {
            format!("{} carries {wire} by {}", on(far), fabric.pseudowire(far).encapsulation.value)
        }
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
