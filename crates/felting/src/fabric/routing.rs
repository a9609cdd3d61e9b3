//! What switches are to each other as routers and VTEPs, compiled.

use std::net::{IpAddr, Ipv4Addr};

use smol_str::SmolStr;

use super::{
    DeviceId, EviId, InterfaceId, LagId, OverlayId, PolicyId, PortId, PresenceId, SegmentId,
    SessionId, SettingsId, VrfId,
};
use crate::diagnostic::{At, Place};
use crate::id::IdRange;
use crate::value::{
    Advertised, Area, Asn, DfElection, Encapsulation, Family, GatewayKind, Interval, IpInterface,
    IpPrefix, Irb, IsisLevel, IsolatedBy, Loopback, MacAddr, Metric, Mtu, NetworkType, NextHopRule,
    Number, NumberedBy, PoolKind, PoolNumber, Preference, Replication, RouteDistinguisher,
    RouteTarget, SessionOver, SingleHomed, TargetPattern, TargetRule, UdpPort, UnderlayProtocol,
    VlanId, Vni, VrrpId, VrrpPriority,
};

/// From what values are allotted that nobody wrote.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Pool {
    /// Its name.
    pub name: At<SmolStr>,
    /// What it gives out.
    pub gives: At<PoolKind>,
    /// The prefixes that addresses come from.
    pub prefixes: Vec<At<IpPrefix>>,
    /// The number before the first.
    pub base: Option<At<PoolNumber>>,
    /// The last number.
    pub last: Option<At<PoolNumber>>,
    /// How many links each switch may have to those above it.
    pub links_per_switch: u16,
    /// Whose number an AS number follows from.
    pub by: NumberedBy,
    /// The switches that it is for, in order; all if none.
    pub on: Option<Vec<DeviceId>>,
}

impl Pool {
    /// Whether it is for a switch.
    pub fn is_for(&self, switch: DeviceId) -> bool {
        self.on.as_ref().is_none_or(|on| on.binary_search(&switch).is_ok())
    }
}

/// Something that a pool could not give.
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub struct Exhausted {
    /// The pool.
    pub pool: super::PoolId,
    /// For what: a switch's number, a segment's or a VRF's.
    pub wanted: At<u32>,
    /// The switch, if it was for one.
    pub switch: Option<DeviceId>,
}

/// What a switch is to routing protocols.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Router {
    /// The switch.
    pub device: DeviceId,
    /// Where a statement first makes it a router.
    pub span: Place,
    /// The AS number, written or allotted.
    pub as_number: Option<At<Asn>>,
    /// The router id, written, allotted, or the IPv4 loopback.
    pub router_id: Option<At<Ipv4Addr>>,
    /// The loopback's addresses, written or allotted.
    pub loopbacks: Vec<At<Loopback>>,
    /// The cluster id, where it is not the router id.
    pub cluster_id: Option<At<Ipv4Addr>>,
    /// How many equal paths it uses at once, if not all.
    pub max_paths: Option<At<u16>>,
    /// Whether eBGP without policy lets nothing in or out.
    pub policy_required: bool,
    /// Whether it refuses eBGP to an address that is on no link of its own, where no multihop is set.
    pub connected_check: bool,
    /// What it tells its underlay of.
    pub advertised: Vec<At<Advertised>>,
    /// Its routing protocol.
    pub protocol: Option<At<UnderlayProtocol>>,
    /// What makes it a VTEP, if it is one.
    pub overlay: Option<OverlayId>,
    /// Its routed interfaces in the underlay, in the order of their places and tags.
    pub interfaces: IdRange<InterfaceId>,
    /// Its ends of BGP sessions.
    pub sessions: IdRange<SessionId>,
}

/// On what an interface is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum InterfacePlace {
    /// A port.
    Port(PortId),
    /// A LAG.
    Lag(LagId),
    /// A VLAN.
    Vlan(VlanId),
}

/// A routed interface.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Interface {
    /// The switch.
    pub device: DeviceId,
    /// On what it is.
    pub place: InterfacePlace,
    /// The tag of a sub-interface.
    pub tag: Option<At<VlanId>>,
    /// Where it is named: its own statement, or the underlay's.
    pub span: Place,
    /// Its addresses, written or allotted.
    pub addresses: Vec<At<IpInterface>>,
    /// Whether it uses the loopback's address.
    pub unnumbered: At<bool>,
    /// Its VRF, if it is a tenant's.
    pub vrf: Option<At<VrfId>>,
    /// Its MTU, if it or its port has one.
    pub mtu: Option<At<Mtu>>,
    /// The routing protocol.
    pub protocol: At<UnderlayProtocol>,
    /// The area.
    pub area: At<Area>,
    /// The IS-IS level.
    pub level: At<IsisLevel>,
    /// What the link is taken for.
    pub network_type: At<NetworkType>,
    /// How often hellos are sent.
    pub hello: At<Interval>,
    /// After what silence a neighbour is given up.
    pub dead: At<Interval>,
    /// The cost.
    pub cost: At<Metric>,
    /// The secret by which hellos are authenticated.
    pub authentication: Option<At<SmolStr>>,
    /// Whether BFD watches the neighbour.
    pub bfd: At<bool>,
    /// Whether no neighbour is sought on it.
    pub passive: bool,
    /// Whether multicast is routed over it.
    pub multicast: At<bool>,
}

/// A static route.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct StaticRoute {
    /// The switch.
    pub device: DeviceId,
    /// Where it leads.
    pub to: At<IpPrefix>,
    /// By what.
    pub via: At<Via>,
    /// Its VRF, if it is a tenant's.
    pub vrf: Option<At<VrfId>>,
    /// How long a packet may take by it: a slower WAN path is not used.
    pub within: Option<At<Interval>>,
}

impl StaticRoute {
    /// Whether a path is slower than the route allows. A path whose delay nobody wrote is not.
    pub fn is_beyond(&self, wan: &Wan) -> bool {
        self.within.zip(wan.delay).is_some_and(|(within, delay)| delay.value > within.value)
    }
}

/// By what a static route leads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Via {
    /// An address.
    Address(IpAddr),
    /// A switch.
    Device(DeviceId),
    /// A WAN path.
    Wan(super::WanId),
}

/// A routing policy.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Policy {
    /// Its name.
    pub name: At<SmolStr>,
    /// What it lets through; everything if not written.
    pub permit: Option<Vec<At<IpPrefix>>>,
    /// What it stops.
    pub deny: Vec<At<IpPrefix>>,
}

impl Policy {
    /// Whether it lets a prefix through.
    pub fn passes(&self, prefix: &IpPrefix) -> bool {
        let in_any = |list: &[At<IpPrefix>]| list.iter().any(|one| one.covers(prefix));
        !in_any(&self.deny) && self.permit.as_deref().is_none_or(in_any)
    }
}

/// A policy as a session names it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum PolicyName {
    /// The one that lets everything through.
    Everything,
    /// A written one.
    Policy(PolicyId),
}

/// One end of a BGP session.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Session {
    /// The switch.
    pub device: DeviceId,
    /// The switch that it is meant to be with.
    pub peer: DeviceId,
    /// Between what.
    pub over: SessionOver,
    /// The interface, of a session over a link.
    pub interface: Option<InterfaceId>,
    /// The place of the statement that makes it.
    pub span: Place,
    /// The address that it sends from; none if the switch has none, or on an unnumbered link.
    pub source: Option<At<IpAddr>>,
    /// The address that the other end is expected at.
    pub peer_address: Option<At<IpAddr>>,
    /// The AS number that the other end is expected to have, where it is written.
    pub peer_as: Option<At<Asn>>,
    /// The families that this end activates.
    pub families: Vec<At<Family>>,
    /// Over how many hops it may go.
    pub multihop: Option<At<u16>>,
    /// Where that is written, or taken out, or could be.
    pub(crate) multihop_at: Place,
    /// Whether the other end is a client of this reflector.
    pub client: At<bool>,
    /// What this end does to next hops, where it is written.
    pub next_hop: Option<At<NextHopRule>>,
    /// Where that is written, or taken out, or could be.
    pub(crate) next_hop_at: Place,
    /// Whether extended communities are sent.
    pub communities: At<bool>,
    /// The policies that what comes in passes; none written if empty.
    pub import: Vec<At<PolicyName>>,
    /// The policies that what goes out passes; none written if empty.
    pub export: Vec<At<PolicyName>>,
    /// The secret by which it is authenticated.
    pub authentication: Option<At<SmolStr>>,
    /// Whether BFD watches the other end.
    pub bfd: At<bool>,
}

impl Session {
    /// Whether this end activates a family.
    pub fn activates(&self, family: Family) -> bool {
        self.families.iter().any(|one| one.value == family)
    }
}

/// What makes a switch a VTEP.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Overlay {
    /// The switch.
    pub device: DeviceId,
    /// The statement.
    pub span: Place,
    /// The VTEP address: written, of the pair, or allotted.
    pub vtep: Option<At<IpAddr>>,
    /// What frames travel in.
    pub encapsulation: At<Encapsulation>,
    /// The UDP port.
    pub udp_port: At<UdpPort>,
    /// How flooding is done.
    pub replication: At<Replication>,
    /// The rendezvous points.
    pub rendezvous: Vec<At<IpAddr>>,
    /// Where route targets come from that are not written.
    pub targets: At<TargetRule>,
    /// The pattern of given ones.
    pub target_pattern: Option<At<TargetPattern>>,
    /// Whether imports ignore the AS number in derived targets.
    pub any_as: At<bool>,
    /// How packets between segments cross the fabric.
    pub irb: At<Irb>,
    /// The MAC address for routed packets.
    pub router_mac: At<MacAddr>,
    /// The MAC address of anycast gateways.
    pub gateway_mac: Option<At<MacAddr>>,
    /// Whether gateways are advertised.
    pub advertise_gateways: bool,
    /// Whether ARP and ND are answered from what EVPN says.
    pub suppression: bool,
    /// Whether Ethernet segments are closed when the underlay is lost.
    pub core_isolation: At<bool>,
    /// What then counts as lost.
    pub isolated_by: IsolatedBy,
    /// How the designated forwarder is found.
    pub election: At<DfElection>,
    /// The preference in an election by preference.
    pub preference: At<Preference>,
    /// The next hop for what hangs on one side of a pair.
    pub single_homed: SingleHomed,
}

/// What a segment is set to on some switches.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct SegmentSettings {
    /// Its subnets there.
    pub subnets: Vec<At<IpPrefix>>,
    /// Its gateway's addresses there.
    pub gateways: Vec<At<IpAddr>>,
    /// Where they are taken out.
    pub no_gateway_at: Option<Place>,
    /// Which routers have the gateway's address.
    pub gateway_kind: At<GatewayKind>,
    /// The gateway's MAC address.
    pub gateway_mac: Option<At<MacAddr>>,
    /// The switch's own addresses.
    pub addresses: Vec<At<IpInterface>>,
    /// The priority for a shared gateway address.
    pub vrrp_priority: VrrpPriority,
    /// The virtual router identifier of a shared gateway address.
    pub vrrp_id: At<VrrpId>,
    /// The route targets of imports, where they are written.
    pub import: Option<Vec<At<RouteTarget>>>,
    /// The route targets of exports, where they are written.
    pub export: Option<Vec<At<RouteTarget>>>,
    /// The route distinguisher, where it is written.
    pub rd: Option<At<RouteDistinguisher>>,
    /// How flooding is done, where it is written.
    pub replication: Option<At<Replication>>,
    /// The multicast group.
    pub multicast_group: Option<At<IpAddr>>,
    /// The static flood list, where it is written.
    pub flood_to: Option<Vec<At<IpAddr>>>,
    /// The servers that its gateways pass DHCP on to.
    pub relay: Vec<At<IpAddr>>,
}

/// A VRF on one switch.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct VrfPresence {
    /// The switch.
    pub switch: DeviceId,
    /// The layer 3 VNI there.
    pub vni: Option<At<Vni>>,
    /// The route targets of imports, where they are written.
    pub import: Option<Vec<At<RouteTarget>>>,
    /// The route targets of exports, where they are written.
    pub export: Option<Vec<At<RouteTarget>>>,
    /// The route distinguisher, where it is written.
    pub rd: Option<At<RouteDistinguisher>>,
    /// How packets between segments cross the fabric, where it is written.
    pub irb: Option<At<Irb>>,
    /// Whether the subnets of its segments are advertised.
    pub advertise_subnets: bool,
}

/// Segments that are one EVPN instance.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Evi {
    /// Its name.
    pub name: At<SmolStr>,
    /// Its number.
    pub number: Option<u32>,
    /// Its segments.
    pub segments: Vec<At<SegmentId>>,
    /// Its route targets, where they are written.
    pub targets: Option<Vec<At<RouteTarget>>>,
}

/// Routes of one VRF that another one gets too.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Leak {
    /// The statement.
    pub span: Place,
    /// The VRF whose routes they are.
    pub from: At<VrfId>,
    /// The VRF that gets them.
    pub to: At<VrfId>,
    /// Which prefixes; all if none.
    pub prefixes: Option<Vec<At<IpPrefix>>>,
    /// The switches that pass them on; all that have both VRFs if none.
    pub on: Option<Vec<DeviceId>>,
    /// Whether it is meant to go one way only.
    pub one_way: bool,
}

impl Leak {
    /// Whether a switch passes it on, if it has both VRFs.
    pub fn is_on(&self, switch: DeviceId) -> bool {
        self.on.as_ref().is_none_or(|on| on.binary_search(&switch).is_ok())
    }
}

/// A network outside the fabric.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Outside {
    /// Its name.
    pub name: At<SmolStr>,
    /// The VRF that reaches it.
    pub vrf: At<VrfId>,
    /// The switches that lead to it.
    pub on: Vec<DeviceId>,
    /// Its prefixes.
    pub prefixes: Vec<At<IpPrefix>>,
    /// The switch of the file that plays the router there.
    pub via: Option<At<DeviceId>>,
    /// The segment in which the switches and that router meet.
    pub segment: Option<At<SegmentId>>,
}

/// Switches at one place.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Site {
    /// Its name.
    pub name: At<SmolStr>,
    /// The switches, in order.
    pub on: Vec<DeviceId>,
    /// How long a packet to another site may take.
    pub delay_bound: Option<At<Interval>>,
}

/// A path over a WAN.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Wan {
    /// Its name.
    pub name: At<SmolStr>,
    /// The ports at its ends.
    pub ends: [At<PortId>; 2],
    /// The tags at its ends.
    pub tags: Vec<At<VlanId>>,
    /// How long a packet takes.
    pub delay: Option<At<Interval>>,
    /// The largest packet that it takes.
    pub mtu: Option<At<Mtu>>,
    /// Whether what crosses it is encrypted.
    pub encrypted: bool,
}

/// A VRF.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Vrf {
    /// Its name.
    pub name: At<SmolStr>,
    /// Its number.
    pub number: Option<At<Number>>,
    /// Its layer 3 VNI, where no switch differs.
    pub vni: Option<At<Vni>>,
    /// Where it is said which switches have it.
    pub on: Place,
    /// The switches that have it, in order, each with what it is set to there.
    pub switches: Vec<VrfPresence>,
}

impl Vrf {
    /// The place of a switch among those that have the VRF.
    pub fn place_of(&self, switch: DeviceId) -> Option<usize> {
        self.switches.binary_search_by_key(&switch, |at| at.switch).ok()
    }
}

/// A segment.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Segment {
    /// Its name.
    pub name: At<SmolStr>,
    /// Its number.
    pub number: Option<At<Number>>,
    /// Its VLAN, where no switch differs.
    pub vlan: Option<At<VlanId>>,
    /// Its layer 2 VNI, where no switch differs.
    pub vni: Option<At<Vni>>,
    /// Its VRF, where no switch differs.
    pub vrf: Option<At<VrfId>>,
    /// Its subnets.
    pub subnets: Vec<At<IpPrefix>>,
    /// Its gateway's addresses.
    pub gateways: Vec<At<IpAddr>>,
    /// Where the gateway is, if said.
    pub gateway_on: Vec<DeviceId>,
    /// Where that is said.
    pub gateway_on_at: Option<Place>,
    /// Where it is present.
    pub presences: IdRange<PresenceId>,
    /// The EVPN instance that bundles it with others.
    pub evi: Option<EviId>,
}

/// A segment on one switch.
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub struct Presence {
    /// The segment.
    pub segment: SegmentId,
    /// The switch.
    pub switch: DeviceId,
    /// Its VLAN there.
    pub vlan: Option<At<VlanId>>,
    /// The VNI that it is mapped to there; none where the switch is no VTEP.
    pub vni: Option<At<Vni>>,
    /// Its VRF there.
    pub vrf: Option<At<VrfId>>,
    /// What else it is set to there.
    pub settings: SettingsId,
}
