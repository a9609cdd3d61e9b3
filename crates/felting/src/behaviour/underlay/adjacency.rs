//! Which routers become neighbours, and why others don't.

use rustc_hash::FxHashSet;

use crate::behaviour::cause::{Aspect, CauseId, Causes, Entity};
use crate::behaviour::lag::LagOutcome;
use crate::behaviour::link::Far;
use crate::fabric::{DeviceId, Fabric, Interface, InterfaceId, InterfacePlace, LagId, PortId};
use crate::id::{IdVec, Pages, typed_id};
use crate::value::{IsisLevel, NetworkType, UnderlayProtocol};

typed_id! {
    /// Two interfaces that face each other.
    pub AdjacencyId, "adjacency"
}

/// What other parts of the behaviour say of what is under interfaces.
pub(in crate::behaviour) struct Beneath<'a> {
    pub(in crate::behaviour) far: &'a Far,
    pub(in crate::behaviour) lags: &'a Pages<LagId, LagOutcome>,
}

/// Two interfaces that face each other in the underlay.
#[derive(Clone, Copy, Debug)]
#[non_exhaustive]
pub struct Adjacency {
    /// The one of the lower id.
    pub near: InterfaceId,
    /// The other.
    pub far: InterfaceId,
    /// The protocol, if both run one.
    pub protocol: UnderlayProtocol,
    /// Why no routes are exchanged over it, if none are. Sessions of BGP tell their own reasons.
    pub fault: Option<AdjacencyFault>,
    /// The cause of the fault, if it is one of configuration.
    pub cause: Option<CauseId>,
}

/// Whether packets of an IP version cross a link: both ends have an address of it there, or, where the link has
/// none, on their loopbacks.
pub(super) fn carries_version(
    fabric: &Fabric,
    near: InterfaceId,
    far: InterfaceId,
    v4: bool,
) -> bool {
    [near, far].into_iter().all(|id| {
        let interface = fabric.interface(id);
        if !interface.unnumbered.value {
            return interface.addresses.iter().any(|own| own.address().is_ipv4() == v4);
        }
        let router = fabric.router_of(interface.device);
        let mut loopbacks = router.into_iter().flat_map(|router| &router.loopbacks);
        loopbacks.any(|own| own.address().is_ipv4() == v4)
    })
}

impl Adjacency {
    /// Whether packets that are routed over it arrive, whatever the protocols say.
    pub fn carries_packets(&self) -> bool {
        !self.fault.is_some_and(AdjacencyFault::stops_packets)
    }

    /// The other end of it, seen from one.
    pub fn other(&self, interface: InterfaceId) -> InterfaceId {
        if interface == self.near { self.far } else { self.near }
    }
}

/// Why two interfaces that face each other exchange no routes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum AdjacencyFault {
    /// The link is down.
    LinkDown,
    /// A pseudowire between them is down: each has a link, to the port of one.
    WireDown,
    /// The tags differ: neither hears the other (IEEE 802.1Q clause 8.6.2).
    TagClash,
    /// An end has no address.
    NoAddress,
    /// One end uses its loopback's address, the other has one of the link's.
    UnnumberedClash,
    /// The ends are not in one subnet, or have one address.
    SubnetClash,
    /// One end runs no routing protocol.
    OneSided,
    /// The ends run different protocols.
    ProtocolClash,
    /// An end seeks no neighbours.
    Passive,
    /// The areas differ (RFC 2328 section 8.2).
    AreaClash,
    /// The IS-IS levels have none in common.
    LevelClash,
    /// The hello or dead intervals differ (RFC 2328 section 10.5).
    TimerClash,
    /// An end gives its neighbour up before it can have said the next hello.
    TimerImpossible,
    /// The link is unnumbered, and an end takes it for a broadcast network, on which a packet from outside the
    /// subnet is dropped (RFC 2328 section 8.2).
    BroadcastUnnumbered,
    /// The keys differ (RFC 2328 section 8.2).
    AuthenticationClash,
    /// Both routers have one router id (RFC 2328 section 10.5).
    RouterIdSame,
    /// The MTUs differ: the exchange of databases sticks (RFC 2328 section 10.6).
    MtuClash,
    /// One takes the link for two routers, the other for many: the neighbours' descriptions of the link
    /// do not match, and no route goes over it (RFC 2328 section 16.1).
    NetworkTypeClash,
}

impl AdjacencyFault {
    /// Whether not even packets cross the link, whatever the protocols say.
    pub(in crate::behaviour) fn stops_packets(self) -> bool {
        matches!(
            self,
            Self::LinkDown
                | Self::WireDown
                | Self::TagClash
                | Self::SubnetClash
                | Self::NoAddress
                | Self::UnnumberedClash
        )
    }

    /// Why, in words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::LinkDown => "the link is down",
            Self::WireDown => "the pseudowire between them is down",
            Self::TagClash => "the tags differ",
            Self::NoAddress => "an end has no address",
            Self::UnnumberedClash => "one end is unnumbered",
            Self::SubnetClash => "not in one subnet",
            Self::OneSided => "one end runs no protocol",
            Self::ProtocolClash => "the protocols differ",
            Self::Passive => "an end is passive",
            Self::AreaClash => "the areas differ",
            Self::LevelClash => "the levels differ",
            Self::TimerClash => "the timers differ",
            Self::TimerImpossible => "an end gives up before the next hello",
            Self::BroadcastUnnumbered => "unnumbered, and taken for a broadcast network",
            Self::AuthenticationClash => "the secrets differ",
            Self::RouterIdSame => "both have one router id",
            Self::MtuClash => "the MTUs differ",
            Self::NetworkTypeClash => "the network types differ",
        }
    }
}

/// The levels at which two IS-IS routers become neighbours: level 1 inside one area only (ISO/IEC
/// 10589 clause 8.2.4.2).
pub(crate) fn levels(near: &Interface, far: &Interface) -> (bool, bool) {
    let at = |level: IsisLevel, one: bool| match level {
        IsisLevel::One => one,
        IsisLevel::Two => !one,
        IsisLevel::Both => true,
    };
    let both = |one: bool| at(near.level.value, one) && at(far.level.value, one);
    (both(true) && near.area.value == far.area.value, both(false))
}

type Adjacencies = (IdVec<AdjacencyId, Adjacency>, IdVec<InterfaceId, Option<AdjacencyId>>);

pub(super) fn adjacencies(
    fabric: &Fabric,
    links: &Beneath<'_>,
    causes: &mut Causes,
) -> Adjacencies {
    let mut list = IdVec::default();
    let mut of_interface = IdVec::filled(&fabric.interfaces, None);
    let mut done: FxHashSet<InterfaceId> = FxHashSet::default();
    for near in fabric.interfaces.ids() {
        let Some(far) = fabric.interface_far(near) else { continue };
        if done.contains(&near) || fabric.interface(near).vrf.is_some() {
            continue;
        }
        done.insert(far);
        let adjacency = judge(fabric, links, near, far, causes);
        let id = list.push(adjacency);
        of_interface[near] = Some(id);
        of_interface[far] = Some(id);
    }
    (list, of_interface)
}

pub(super) fn judge(
    fabric: &Fabric,
    links: &Beneath<'_>,
    near: InterfaceId,
    far: InterfaceId,
    causes: &mut Causes,
) -> Adjacency {
    let (a, b) = (fabric.interface(near), fabric.interface(far));
    let protocol = if a.protocol.value == b.protocol.value {
        a.protocol.value
    } else {
        UnderlayProtocol::None
    };
    let mut found = Adjacency { near, far, protocol, fault: None, cause: None };
    if !(link_up(fabric, links, near) && link_up(fabric, links, far)) {
        found.fault = Some(AdjacencyFault::LinkDown);
        return found;
    }
    if let (InterfacePlace::Port(port), InterfacePlace::Port(other)) = (a.place, b.place)
        && fabric.link(port).is_some_and(|(_, far)| far != other)
        && links.far[port] != Some(other)
    {
        found.fault = Some(AdjacencyFault::WireDown);
        return found;
    }
    let Some(fault) = settings(fabric, a, b) else { return found };
    found.fault = Some(fault);
    // An address that a pool could not give is told as that.
    let without = fault == AdjacencyFault::NoAddress
        && (fabric.went_without(a.device) || fabric.went_without(b.device));
    // An interface that is to lead out for a VRF runs the underlay's protocol because it is not in it.
    let of_tenant = |rule| match rule == "underlay-protocol-clash" && leads_out(fabric, a, b) {
        true => "vrf-outside-unreachable",
        false => rule,
    };
    if let Some(rule) = rule(a, b, fault).filter(|_| !without).map(of_tenant) {
        let entity = Entity::Interface(near);
        let cause = causes.add(rule, entity, Aspect::Neighbour, Some(Entity::Interface(far)));
        causes.claim(cause, Entity::Interface(far), Aspect::Neighbour);
        found.cause = Some(cause);
    }
    found
}

/// The first thing that keeps two interfaces apart, in the order in which it would be noticed.
pub(in crate::behaviour) fn settings(
    fabric: &Fabric,
    a: &Interface,
    b: &Interface,
) -> Option<AdjacencyFault> {
    let tag = |interface: &Interface| interface.tag.map(|tag| tag.value);
    if tag(a) != tag(b) {
        return Some(AdjacencyFault::TagClash);
    }
    if a.unnumbered.value != b.unnumbered.value
        && (a.addresses.is_empty() != b.addresses.is_empty() || a.unnumbered.value)
    {
        return Some(AdjacencyFault::UnnumberedClash);
    }
    let (x, y) = (a.protocol.value, b.protocol.value);
    if !a.unnumbered.value {
        let v6_only = |i: &Interface| i.addresses.is_empty();
        if v6_only(a) || v6_only(b) {
            return Some(AdjacencyFault::NoAddress);
        }
        let joined = a.addresses.iter().any(|one| {
            b.addresses
                .iter()
                .any(|other| one.subnet() == other.subnet() && one.address() != other.address())
        });
        if !joined {
            return Some(AdjacencyFault::SubnetClash);
        }
    }
    match (x, y) {
        (UnderlayProtocol::None, UnderlayProtocol::None) => return None,
        (UnderlayProtocol::None, _) | (_, UnderlayProtocol::None) => {
            return Some(AdjacencyFault::OneSided);
        }
        _ if x != y => return Some(AdjacencyFault::ProtocolClash),
        (UnderlayProtocol::Bgp, _) => return None,
        _ => {}
    }
    if a.passive || b.passive {
        return Some(AdjacencyFault::Passive);
    }
    let ospf = x == UnderlayProtocol::Ospf;
    let points = |i: &Interface| i.network_type.value == NetworkType::PointToPoint;
    if ospf && a.unnumbered.value && !points(a) && !points(b) {
        return Some(AdjacencyFault::BroadcastUnnumbered);
    }
    // RFC 2328 appendix C.3, ISO/IEC 10589 clause 8.2.3: the neighbour is gone before its next hello.
    if gives_up(a) || gives_up(b) {
        return Some(AdjacencyFault::TimerImpossible);
    }
    if ospf && a.area.value != b.area.value {
        return Some(AdjacencyFault::AreaClash);
    }
    if !ospf && levels(a, b) == (false, false) {
        // Level 1 on both sides of a border between areas.
        let one = |i: &Interface| i.level.value == IsisLevel::One;
        let areas = a.area.value != b.area.value && (one(a) || one(b)) && !mixed(a, b);
        return Some(if areas { AdjacencyFault::AreaClash } else { AdjacencyFault::LevelClash });
    }
    if ospf && (a.hello.value != b.hello.value || a.dead.value != b.dead.value) {
        return Some(AdjacencyFault::TimerClash);
    }
    let key = |i: &Interface| i.authentication.as_ref().map(|key| key.value.clone());
    if key(a) != key(b) {
        return Some(AdjacencyFault::AuthenticationClash);
    }
    let id = |i: &Interface| fabric.router_of(i.device).and_then(|router| router.router_id);
    if let (Some(one), Some(other)) = (id(a), id(b))
        && one.value == other.value
        && a.device != b.device
    {
        return Some(AdjacencyFault::RouterIdSame);
    }
    if let (Some(one), Some(other)) = (a.mtu, b.mtu)
        && one.value != other.value
    {
        return Some(AdjacencyFault::MtuClash);
    }
    (points(a) != points(b)).then_some(AdjacencyFault::NetworkTypeClash)
}

/// Whether an end is set to wait for a hello for less than the time between two.
pub(crate) fn gives_up(interface: &Interface) -> bool {
    interface.dead.value < interface.hello.value
}

/// Level 1 only against level 2 only.
fn mixed(a: &Interface, b: &Interface) -> bool {
    matches!(
        (a.level.value, b.level.value),
        (IsisLevel::One, IsisLevel::Two) | (IsisLevel::Two, IsisLevel::One)
    )
}

/// Whether one of two switches is said to lead out of the fabric by the other.
fn leads_out(fabric: &Fabric, a: &Interface, b: &Interface) -> bool {
    fabric.outsides.values().any(|outside| {
        let via = outside.via.map(|via| via.value);
        let leads = |on: &Interface, to: &Interface| {
            via == Some(to.device) && outside.on.contains(&on.device) && on.vrf.is_none()
        };
        outside.segment.is_none() && (leads(a, b) || leads(b, a))
    })
}

/// The rule that reports a fault.
fn rule(a: &Interface, b: &Interface, fault: AdjacencyFault) -> Option<&'static str> {
    Some(match fault {
        AdjacencyFault::LinkDown | AdjacencyFault::WireDown => return None,
        // Passive at both ends is meant.
        AdjacencyFault::Passive if a.passive && b.passive => return None,
        AdjacencyFault::TagClash => "underlay-tag-clash",
        AdjacencyFault::NoAddress
        | AdjacencyFault::UnnumberedClash
        | AdjacencyFault::SubnetClash => match (a.place, b.place) {
            (InterfacePlace::Lag(_), InterfacePlace::Lag(_))
                if fault == AdjacencyFault::SubnetClash =>
            {
                "lag-address-clash"
            }
            _ => "underlay-subnet-clash",
        },
        AdjacencyFault::Passive | AdjacencyFault::OneSided | AdjacencyFault::ProtocolClash => {
            "underlay-protocol-clash"
        }
        AdjacencyFault::AreaClash | AdjacencyFault::LevelClash => "underlay-area-clash",
        AdjacencyFault::TimerClash => "underlay-timer-clash",
        AdjacencyFault::TimerImpossible => "underlay-timer-impossible",
        AdjacencyFault::BroadcastUnnumbered => "underlay-unnumbered-broadcast",
        AdjacencyFault::AuthenticationClash => "underlay-authentication-clash",
        AdjacencyFault::RouterIdSame => "underlay-router-id-reused",
        AdjacencyFault::MtuClash => "underlay-mtu-clash",
        AdjacencyFault::NetworkTypeClash => "underlay-network-type-clash",
    })
}

/// Whether the link under an interface is up.
pub(in crate::behaviour) fn link_up(
    fabric: &Fabric,
    links: &Beneath<'_>,
    interface: InterfaceId,
) -> bool {
    is_up(fabric, interface, |port| links.far[port].is_some(), |lag| links.lags[lag].up)
}

/// The same, by which ports have a link and which LAGs are up.
pub(in crate::behaviour) fn is_up(
    fabric: &Fabric,
    interface: InterfaceId,
    has_link: impl Fn(PortId) -> bool,
    lag_is_up: impl Fn(LagId) -> bool,
) -> bool {
    let interface = fabric.interface(interface);
    match interface.place {
        InterfacePlace::Port(port) => has_link(port),
        InterfacePlace::Lag(lag) => lag_is_up(lag),
        InterfacePlace::Vlan(vlan) => carries(fabric, lag_is_up, interface.device, vlan),
    }
}

/// Whether a switch's peer link carries a VLAN, tagged or not, and is up.
fn carries(
    fabric: &Fabric,
    lag_is_up: impl Fn(LagId) -> bool,
    device: DeviceId,
    vlan: crate::value::VlanId,
) -> bool {
    let Some((pair, side)) = fabric.device(device).pair else { return false };
    fabric.pair(pair).sides[side]
        .links()
        .any(|link| fabric.lag(link).carries(vlan) && lag_is_up(link))
}
