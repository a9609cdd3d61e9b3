//! The compiled fabric: every name resolved, every range spread out, every deviation applied.
//!
//! Terms, as used throughout:
//!
//! - a **device** is a switch or a host; it has **ports** (a host's are its NICs);
//! - a **cable** joins two ports;
//! - a **LAG** is one *end* of an aggregation: a device, a name, and its **members**. A host's
//!   bond is a LAG end too, unless it doesn't aggregate;
//! - a **pair** is two switches that are one LAG partner; a **group** joins a LAG of either side
//!   into one multi-chassis LAG;
//! - a **stack** is one switch made of several **stack members**, which bring its ports;
//! - an **Ethernet segment** joins LAGs of several leaves that one host takes for one partner;
//! - a **repeater** is a shared medium, a **management network** one apart from the fabric;
//! - a **segment** is a broadcast domain, a **presence** what one switch knows of it;
//! - a **network** is a host's virtual network.
//!
//! A [`Fabric`] is made once and never changed, and everything in it knows where it was written.

mod compile;
mod layout;
mod load;
mod names;
mod routing;

use std::net::IpAddr;
use std::path::Path;

use jiff::civil::Date;
use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use crate::id::{Id, IdRange, IdVec, typed_id};
use crate::rules::Severity;
use crate::source::{At, Disk, Document, Fault, Faults, Files, Memory, Sources, Span};
use crate::value::{
    Activity, BridgePriority, Domain, Duplex, Esi, GroupNumber, HashPolicy, InstanceNumber,
    IpInterface, IpPrefix, Length, MacAddr, Medium, Mtu, Number, PathCost, PathCosts, Protocol,
    Role, SegmentIdentifier, SegmentMode, Speed, SplitDetection, StackMemberNumber, Timeout,
    TreeMode, TreePortPriority, Unanswered, VlanId, VlanSet, Vni,
};
use layout::{Layout, LayoutId};
pub use load::Load;
pub use routing::{
    Endpoint, Evi, Exhausted, Interface, InterfacePlace, Leak, Outside, Overlay, Policy,
    PolicyName, Pool, Router, SegmentSettings, Session, Site, StaticRoute, Via, VrfPresence, Wan,
};

typed_id! { /** A kind of switch. */ pub HardwareId, "hardware" }
typed_id! { /** A switch or a host. */ pub DeviceId, "device" }
typed_id! { /** A port of a switch or a NIC of a host. */ pub PortId, "port" }
typed_id! { /** A cable. */ pub CableId, "cable" }
typed_id! { /** One end of a LAG: on a switch, or a host's bond. */ pub LagId, "lag" }
typed_id! { /** A port as a member of a LAG. */ pub MemberId, "member" }
typed_id! { /** A multi-chassis LAG of a pair. */ pub GroupId, "group" }
typed_id! { /** A pair of switches. */ pub PairId, "pair" }
typed_id! { /** Several switches that act as one. */ pub StackId, "stack" }
typed_id! { /** A shared medium. */ pub RepeaterId, "repeater" }
typed_id! { /** A management network. */ pub ManagementId, "management" }
typed_id! { /** What a switch does about loops. */ pub TreeId, "tree" }
typed_id! { /** LAGs of several leaves that are one partner by EVPN. */ pub EthernetSegmentId, "es" }
typed_id! { /** A VRF. */ pub VrfId, "vrf" }
typed_id! { /** A segment. */ pub SegmentId, "segment" }
typed_id! { /** A segment on one switch. */ pub PresenceId, "presence" }
typed_id! { /** What a segment is set to on some switches. */ pub SettingsId, "settings" }
typed_id! { /** A pool. */ pub PoolId, "pool" }
typed_id! { /** A switch as a router. */ pub RouterId, "router" }
typed_id! { /** A routed interface. */ pub InterfaceId, "interface" }
typed_id! { /** One end of a BGP session. */ pub SessionId, "session" }
typed_id! { /** A switch as a VTEP. */ pub OverlayId, "overlay" }
typed_id! { /** A routing policy. */ pub PolicyId, "policy" }
typed_id! { /** Segments that are one EVPN instance. */ pub EviId, "evi" }
typed_id! { /** A leak between VRFs. */ pub LeakId, "leak" }
typed_id! { /** A network outside the fabric. */ pub OutsideId, "outside" }
typed_id! { /** A site. */ pub SiteId, "site" }
typed_id! { /** A path over a WAN. */ pub WanId, "wan" }
typed_id! { /** A machine on a host's virtual network. */ pub EndpointId, "endpoint" }
typed_id! { /** A host's bond. */ pub BondId, "bond" }
typed_id! { /** A host's virtual network. */ pub NetworkId, "network" }

/// What a kind of switch can do.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Hardware {
    /// The kind's name.
    pub name: At<SmolStr>,
    /// Whether it speaks LACP.
    pub lacp: Option<At<bool>>,
    /// Whether a LAG may be a routed port.
    pub routed_lags: Option<At<bool>>,
    /// How many members of one LAG it uses at once.
    pub members_in_use: Option<At<u16>>,
    /// How many members it takes into one LAG.
    pub members_bundled: Option<At<u16>>,
    /// Whether members of one LAG may differ in speed, duplex or medium.
    pub mixed_rates: Option<At<bool>>,
    /// How many members a stack of it may have.
    pub stack_members: Option<At<u16>>,
    /// VLANs that it keeps for itself.
    pub reserved_vlans: Option<At<VlanSet>>,
    /// Whether it can be a VTEP.
    pub vtep: Option<At<bool>>,
    /// The largest MTU of a port.
    pub mtu: Option<At<Mtu>>,
}

/// Whether a device is a switch or a host.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DeviceKind {
    /// A switch.
    Switch,
    /// A host.
    Host,
}

/// A switch or a host.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Device {
    /// Its name, with the place of the name or of the range that made it.
    pub name: At<SmolStr>,
    /// Switch or host.
    pub kind: DeviceKind,
    /// Its written number.
    pub number: Option<At<Number>>,
    /// What a switch is for.
    pub role: Option<At<Role>>,
    /// A switch's kind.
    pub hardware: Option<At<HardwareId>>,
    /// The software that a switch runs.
    pub software: Option<At<SmolStr>>,
    /// Its MAC address, written or allotted; its place is that of what it follows from.
    pub mac: At<MacAddr>,
    /// Its LACP system priority.
    pub system_priority: u16,
    /// Its rack.
    pub rack: Option<At<SmolStr>>,
    /// Its position in the rack.
    pub position: Option<At<SmolStr>>,
    /// Its ports.
    pub ports: IdRange<PortId>,
    /// The pair that a switch belongs to, and which of its sides it is.
    pub pair: Option<(PairId, usize)>,
    /// The stack that a switch is made of.
    pub stack: Option<StackId>,
    /// What a switch does about loops, where a statement says it.
    pub tree: Option<TreeId>,
    /// What a switch is to routing protocols, if it takes part in any.
    pub router: Option<RouterId>,
    layout: LayoutId,
}

/// A port of a switch or a NIC of a host.
#[derive(Clone, Copy, Debug)]
#[non_exhaustive]
pub struct Port {
    /// The device.
    pub device: DeviceId,
    /// Where the port was written.
    pub span: Span,
    /// The speed of the port, or of each of its lanes.
    pub speed: Speed,
    /// Full or half duplex.
    pub duplex: Duplex,
    /// Into how many lanes the port is broken out; 1 for a whole port or a lane.
    pub lanes: u8,
    /// The broken-out port that this one is a lane of.
    pub lane_of: Option<PortId>,
}

/// How a port or a LAG takes part in the spanning tree.
#[derive(Clone, Copy, Debug, Default)]
#[non_exhaustive]
pub struct TreePort {
    /// Whether it is an edge port.
    pub edge: Option<At<bool>>,
    /// Whether it takes part.
    pub runs: Option<At<bool>>,
    /// Its path cost.
    pub cost: Option<At<PathCost>>,
    /// Its port priority.
    pub priority: Option<At<TreePortPriority>>,
}

/// Settings of a single port.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct PortSettings {
    /// The VLANs that it carries tagged.
    pub tagged: At<VlanSet>,
    /// The VLAN of untagged frames.
    pub untagged: Option<At<VlanId>>,
    /// Its MTU.
    pub mtu: Option<At<Mtu>>,
    /// Whether it is switched on.
    pub enabled: Option<At<bool>>,
    /// Its addresses, if it is a routed port.
    pub addresses: Vec<At<IpInterface>>,
    /// The partition of the switch that it belongs to.
    pub partition: Option<At<SmolStr>>,
    /// Its part in the spanning tree.
    pub tree: TreePort,
    /// The statement's place for the port.
    pub span: Span,
}

/// A cable.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Cable {
    /// The two ports, in the order written, each with the place of its name.
    pub ends: [At<PortId>; 2],
    /// The run that the cable is of.
    pub span: Span,
    /// What it is made of.
    pub medium: Option<At<Medium>>,
    /// Its length.
    pub length: Option<At<Length>>,
    /// What is printed on it.
    pub label: Option<At<SmolStr>>,
    /// Whether it is meant to lead back to its own switch.
    pub loopback: bool,
}

/// One end of a LAG.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Lag {
    /// The switch or host.
    pub device: DeviceId,
    /// Its name there.
    pub name: At<SmolStr>,
    /// What it speaks.
    pub protocol: At<Protocol>,
    /// The LACP mode.
    pub mode: At<Activity>,
    /// The LACP timeout.
    pub timeout: At<Timeout>,
    /// What members do while nobody answers.
    pub unanswered: At<Unanswered>,
    /// The group number, on a switch.
    pub group_number: Option<At<GroupNumber>>,
    /// The group, if the switch is in a pair.
    pub group: Option<GroupId>,
    /// The VLANs that it carries tagged; of a host, those of the bond's networks don't count here.
    pub tagged: At<VlanSet>,
    /// The VLAN of untagged frames.
    pub untagged: Option<At<VlanId>>,
    /// Its MTU.
    pub mtu: Option<At<Mtu>>,
    /// The fewest members with which it is up.
    pub min_members: At<u16>,
    /// Its members.
    pub members: IdRange<MemberId>,
    /// The LACP key, where it is written.
    pub key: Option<At<u16>>,
    /// The key that follows from its place among the LAGs of its device.
    pub(crate) own_key: u16,
    /// The LACP system address, where it is written.
    pub system: Option<At<MacAddr>>,
    /// The LACP system priority, where it is written.
    pub system_priority: Option<At<u16>>,
    /// Its addresses, if it is a routed LAG.
    pub addresses: Vec<At<IpInterface>>,
    /// The Ethernet segment that it says it belongs to.
    pub segment_id: Option<At<SegmentIdentifier>>,
    /// The Ethernet segment, if it is of one.
    pub segment: Option<EthernetSegmentId>,
    /// The mode of the Ethernet segment, as this leaf has it.
    pub segment_mode: At<SegmentMode>,
    /// Its part in the spanning tree.
    pub tree: TreePort,
}

/// A port as a member of a LAG.
#[derive(Clone, Copy, Debug)]
#[non_exhaustive]
pub struct Member {
    /// The LAG end.
    pub lag: LagId,
    /// The port, with the place of its name in the LAG.
    pub port: At<PortId>,
    /// The LACP port priority.
    pub priority: u16,
    /// The LACP port number, where it is written.
    pub number: Option<u16>,
    /// The LACP key, where it is not that of the LAG.
    pub key: Option<u16>,
    /// The LAG that had the port first, where two claim it: this member then does not count.
    pub taken_by: Option<MemberId>,
}

/// A multi-chassis LAG: a LAG of either side of a pair, joined by a group number.
#[derive(Clone, Copy, Debug)]
#[non_exhaustive]
pub struct Group {
    /// The pair.
    pub pair: PairId,
    /// The number.
    pub number: GroupNumber,
    /// The LAGs, by side.
    pub halves: [Option<LagId>; 2],
}

/// Two switches that are one LAG partner.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Pair {
    /// Its name.
    pub name: At<SmolStr>,
    /// Its two sides, in the order of their names in the file.
    pub sides: [Side; 2],
}

/// One side of a pair.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Side {
    /// The switch, with the place where the pair names it.
    pub switch: At<DeviceId>,
    /// The domain that this side is configured with.
    pub domain: Option<At<Domain>>,
    /// The LAG of this side towards the other.
    pub peer_link: Option<At<LagId>>,
    /// The port that this side names as its peer link, where it is no LAG.
    pub peer_port: Option<At<PortId>>,
    /// The LAG for data beside the peer link.
    pub data_link: Option<At<LagId>>,
    /// The keepalive, as this side has it.
    pub keepalive: Option<Keepalive>,
    /// The priority by which the primary is found.
    pub priority: Option<At<u16>>,
    /// The shared VTEP address.
    pub vtep: Option<At<IpAddr>>,
    /// The LACP system priority that the pair presents, as this side is configured.
    pub system_priority: u16,
    /// Where that is written.
    pub(crate) system_priority_at: Option<At<u16>>,
    /// The pair's system MAC address, as it follows from this side's domain.
    pub system_mac: MacAddr,
}

/// By which addresses one side of a pair asks whether the other is alive.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Keepalive {
    /// This side's address.
    pub from: At<IpAddr>,
    /// The other side's address.
    pub to: At<IpAddr>,
    /// The routing table in which they are looked up.
    pub vrf: Option<At<SmolStr>>,
}

/// A management network.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Management {
    /// Its name.
    pub name: At<SmolStr>,
    /// Its subnets.
    pub subnets: Vec<At<IpPrefix>>,
    /// The routing table that the management ports are in.
    pub vrf: Option<At<SmolStr>>,
    /// The router to other management networks.
    pub gateways: Vec<At<IpAddr>>,
    /// The switches in it with their addresses, written or allotted.
    pub switches: Vec<(DeviceId, Vec<At<IpAddr>>)>,
}

/// Several switches that act as one.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Stack {
    /// The switch that they make.
    pub switch: At<DeviceId>,
    /// The domain that the members are set to, where they don't differ.
    pub domain: Option<At<Domain>>,
    /// By what the parts of a split stack notice each other.
    pub split_detection: At<SplitDetection>,
    /// The members, in the order written.
    pub members: Vec<StackMember>,
}

/// One member of a stack.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct StackMember {
    /// Its number.
    pub id: At<StackMemberNumber>,
    /// The priority by which the master is found; the higher is the better.
    pub priority: At<u16>,
    /// Whether the priority is written, or the one that devices come with.
    pub priority_written: bool,
    /// Its own MAC address.
    pub mac: MacAddr,
    /// Its kind.
    pub hardware: Option<At<HardwareId>>,
    /// Its software.
    pub software: Option<At<SmolStr>>,
    /// The domain that it is set to.
    pub domain: Option<At<Domain>>,
    /// Where it is said that nothing stands in its place.
    pub absent: Option<Span>,
    /// Its position in the rack.
    pub position: Option<At<SmolStr>>,
    /// Its ports; none where another member has its number.
    pub ports: IdRange<PortId>,
    /// Which of its ports join it to other members.
    pub stack_ports: Vec<PortId>,
    /// The member that had its number first.
    pub same_id_as: Option<usize>,
}

/// A shared medium.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Repeater {
    /// Its name.
    pub name: At<SmolStr>,
    /// The ports on it.
    pub ports: Vec<At<PortId>>,
}

/// What a switch does about loops.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct TreeSettings {
    /// The switch.
    pub switch: DeviceId,
    /// Where the statement names the switch.
    pub span: Span,
    /// Which tree it runs.
    pub mode: At<TreeMode>,
    /// The bridge priority, where it is written.
    pub priority: Option<At<BridgePriority>>,
    /// The name of its MST region.
    pub region: Option<At<SmolStr>>,
    /// The revision of its MST region.
    pub revision: Option<At<u16>>,
    /// The instances of its MST region, by number.
    pub instances: Vec<TreeInstance>,
    /// The priorities of single VLANs.
    pub vlan_priorities: Vec<(At<VlanSet>, At<BridgePriority>)>,
    /// From which table path costs follow.
    pub path_costs: PathCosts,
}

/// An instance of an MST region, as one switch has it.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct TreeInstance {
    /// Its number.
    pub id: At<InstanceNumber>,
    /// Its VLANs.
    pub vlans: At<VlanSet>,
    /// The bridge priority in it.
    pub priority: Option<At<BridgePriority>>,
}

/// LAGs of several leaves that one host takes for one partner (RFC 7432 section 5).
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct EthernetSegment {
    /// Its identifier.
    pub id: Esi,
    /// The LAGs, in order.
    pub legs: Vec<LagId>,
}

/// A VRF.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Vrf {
    /// Its name.
    pub name: At<SmolStr>,
    /// Its number.
    pub number: Option<At<Number>>,
    /// Its layer 3 VNI, where no switch differs.
    pub vni: Option<At<Vni>>,
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
#[derive(Clone, Debug)]
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
    /// Where it is present.
    pub presences: IdRange<PresenceId>,
    /// The EVPN instance that bundles it with others.
    pub evi: Option<EviId>,
}

/// A segment on one switch.
#[derive(Clone, Copy, Debug)]
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

/// A host's bond.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Bond {
    /// The host.
    pub host: DeviceId,
    /// Its name.
    pub name: At<SmolStr>,
    /// Its NICs.
    pub nics: Vec<At<PortId>>,
    /// The LAG end that it is, unless it doesn't aggregate.
    pub lag: Option<LagId>,
    /// By what it spreads frames.
    pub hash: Option<At<HashPolicy>>,
}

/// By what a virtual network leaves its host.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Uplink {
    /// A bond.
    Bond(BondId),
    /// A single NIC.
    Nic(PortId),
}

/// A host's virtual network.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Network {
    /// The host.
    pub host: DeviceId,
    /// Its name.
    pub name: At<SmolStr>,
    /// The VLANs that its frames are tagged with; none for untagged frames.
    pub tags: Option<At<VlanSet>>,
    /// What it leaves by.
    pub uplink: Uplink,
}

/// A finding that somebody answers for.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Accept {
    /// The rule's id.
    pub rule: At<SmolStr>,
    /// The names or patterns, one of which a finding must name; any finding if empty.
    pub on: Vec<At<SmolStr>>,
    /// Why.
    pub reason: Option<At<SmolStr>>,
    /// The last day.
    pub until: Option<At<Date>>,
    /// The statement.
    pub span: Span,
}

/// Everything that one fabric file describes, compiled.
#[derive(Debug, Default)]
pub struct Fabric {
    pub(crate) name: SmolStr,
    pub(crate) sources: Sources,
    pub(crate) faults: Vec<Fault>,
    pub(crate) severities: FxHashMap<SmolStr, Option<Severity>>,
    pub(crate) hardware: IdVec<HardwareId, Hardware>,
    pub(crate) devices: IdVec<DeviceId, Device>,
    pub(crate) device_names: FxHashMap<SmolStr, DeviceId>,
    pub(crate) layouts: IdVec<LayoutId, Layout>,
    pub(crate) ports: IdVec<PortId, Port>,
    pub(crate) port_settings: FxHashMap<PortId, PortSettings>,
    pub(crate) cables: IdVec<CableId, Cable>,
    /// The first cable in each port, and which of its ends that is.
    pub(crate) plugged: IdVec<PortId, Option<(CableId, usize)>>,
    /// Ports with a further cable: the port, the first cable, the further one.
    pub(crate) replugged: Vec<(PortId, CableId, CableId)>,
    pub(crate) lags: IdVec<LagId, Lag>,
    pub(crate) lag_names: FxHashMap<(DeviceId, SmolStr), LagId>,
    pub(crate) members: IdVec<MemberId, Member>,
    /// The member that each port is, in the first LAG that claims it.
    pub(crate) port_member: IdVec<PortId, Option<MemberId>>,
    pub(crate) groups: IdVec<GroupId, Group>,
    pub(crate) pairs: IdVec<PairId, Pair>,
    pub(crate) stacks: IdVec<StackId, Stack>,
    pub(crate) repeaters: IdVec<RepeaterId, Repeater>,
    pub(crate) management: IdVec<ManagementId, Management>,
    pub(crate) trees: IdVec<TreeId, TreeSettings>,
    pub(crate) ethernet_segments: IdVec<EthernetSegmentId, EthernetSegment>,
    pub(crate) vrfs: IdVec<VrfId, Vrf>,
    pub(crate) segments: IdVec<SegmentId, Segment>,
    pub(crate) presences: IdVec<PresenceId, Presence>,
    pub(crate) settings: IdVec<SettingsId, SegmentSettings>,
    /// The presences on each switch, in the order of the segments.
    pub(crate) presences_on: FxHashMap<DeviceId, Vec<PresenceId>>,
    pub(crate) pools: IdVec<PoolId, Pool>,
    pub(crate) exhausted: Vec<Exhausted>,
    pub(crate) routers: IdVec<RouterId, Router>,
    pub(crate) interfaces: IdVec<InterfaceId, Interface>,
    /// The interface at the other end of each, as it is cabled.
    pub(crate) interface_far: IdVec<InterfaceId, Option<InterfaceId>>,
    pub(crate) sessions: IdVec<SessionId, Session>,
    pub(crate) overlays: IdVec<OverlayId, Overlay>,
    pub(crate) policies: IdVec<PolicyId, Policy>,
    pub(crate) static_routes: Vec<StaticRoute>,
    pub(crate) evis: IdVec<EviId, Evi>,
    pub(crate) leaks: IdVec<LeakId, Leak>,
    pub(crate) outsides: IdVec<OutsideId, Outside>,
    pub(crate) sites: IdVec<SiteId, Site>,
    pub(crate) wans: IdVec<WanId, Wan>,
    pub(crate) endpoints: IdVec<EndpointId, Endpoint>,
    pub(crate) bonds: IdVec<BondId, Bond>,
    pub(crate) networks: IdVec<NetworkId, Network>,
    pub(crate) accepts: Vec<Accept>,
}

/// Getters of the arenas: one by id, all in order.
macro_rules! arenas {
    ($($(#[$doc:meta])* $one:ident, $all:ident: $id:ident => $type:ident;)+) => {$(
        $(#[$doc])*
        pub fn $one(&self, id: $id) -> &$type {
            &self.$all[id]
        }

        /// All of them with their ids, in the order of the file.
        pub fn $all(&self) -> impl ExactSizeIterator<Item = ($id, &$type)> + DoubleEndedIterator {
            self.$all.iter()
        }
    )+};
}

impl Fabric {
    /// Reads and compiles a fabric file with all that it includes.
    ///
    /// Never fails: what could not be read is among the [`faults`](Self::faults), and the fabric
    /// holds what could.
    ///
    /// ```no_run
    /// let fabric = felting::Fabric::from_path("saltmarsh/fabric.toml");
    /// for fault in fabric.faults() {
    ///     println!("{}: {}", fabric.sources().location(fault.at), fault.message);
    /// }
    /// ```
    pub fn from_path(path: impl AsRef<Path>) -> Self {
        Self::from_path_with(path, &[] as &[&Path])
    }

    /// Like [`from_path`](Self::from_path), with overlay documents on top, in their order.
    pub fn from_path_with(path: impl AsRef<Path>, overlays: &[impl AsRef<Path>]) -> Self {
        let disk = |path: &Path| {
            let folder = path.parent().unwrap_or(Path::new(""));
            let name = path.file_name().and_then(|name| name.to_str()).map(str::to_owned);
            // A path without a last part is a folder, and a name that is not UTF-8 cannot be shown.
            (Disk::new(folder), name.unwrap_or_else(|| path.display().to_string()))
        };
        let roots: Vec<_> = std::iter::once(path.as_ref())
            .chain(overlays.iter().map(AsRef::as_ref))
            .map(disk)
            .collect();
        let layers: Vec<_> =
            roots.iter().map(|(disk, name)| (disk as &dyn Files, name.as_str())).collect();
        Self::from_layers(&layers)
    }

    /// Compiles the text of one file, which is shown as `name` in findings.
    ///
    /// ```
    /// use felting::Fabric;
    /// let fabric = Fabric::from_text("shore.toml", "[[switch]]\nname = \"kelp-a\"\nnumbr = 1\n");
    /// assert_eq!(fabric.faults()[0].message, "`switch` has no key `numbr`");
    /// ```
    pub fn from_text(name: &str, text: &str) -> Self {
        let mut files = Memory::default();
        files.insert(name, text);
        Self::from_files(&files, name)
    }

    /// Reads and compiles from any source of files.
    pub fn from_files(files: &dyn Files, root: &str) -> Self {
        Self::from_layers(&[(files, root)])
    }

    /// Reads and compiles a root file and overlay documents, each with its own source of files.
    pub fn from_layers(layers: &[(&dyn Files, &str)]) -> Self {
        let (mut document, mut sources, mut faults) =
            (Document::default(), Sources::default(), Faults::default());
        for (layer, (files, root)) in layers.iter().enumerate() {
            crate::source::load(*files, root, layer, &mut document, &mut sources, &mut faults);
        }
        compile::compile(&document, sources, faults)
    }

    /// The fabric's name, empty if it has none.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The files that were read.
    pub fn sources(&self) -> &Sources {
        &self.sources
    }

    /// What could not be read or does not exist, in file order.
    pub fn faults(&self) -> &[Fault] {
        &self.faults
    }

    /// Whether everything that was written could be compiled.
    pub fn is_complete(&self) -> bool {
        self.faults.is_empty()
    }

    arenas! {
        /// One kind of switch.
        hardware_kind, hardware: HardwareId => Hardware;
        /// One switch or host.
        device, devices: DeviceId => Device;
        /// One port.
        port, ports: PortId => Port;
        /// One cable.
        cable, cables: CableId => Cable;
        /// One LAG end.
        lag, lags: LagId => Lag;
        /// One member of a LAG end.
        member, members: MemberId => Member;
        /// One multi-chassis LAG.
        group, groups: GroupId => Group;
        /// One pair.
        pair, pairs: PairId => Pair;
        /// One stack.
        stack, stacks: StackId => Stack;
        /// One shared medium.
        repeater, repeaters: RepeaterId => Repeater;
        /// One management network.
        management_network, management: ManagementId => Management;
        /// What one switch does about loops.
        tree, trees: TreeId => TreeSettings;
        /// One Ethernet segment.
        ethernet_segment, ethernet_segments: EthernetSegmentId => EthernetSegment;
        /// One VRF.
        vrf, vrfs: VrfId => Vrf;
        /// One segment.
        segment, segments: SegmentId => Segment;
        /// One segment on one switch.
        presence, presences: PresenceId => Presence;
        /// One pool.
        pool, pools: PoolId => Pool;
        /// One switch as a router.
        router, routers: RouterId => Router;
        /// One routed interface.
        interface, interfaces: InterfaceId => Interface;
        /// One end of a BGP session.
        session, sessions: SessionId => Session;
        /// One switch as a VTEP.
        overlay, overlays: OverlayId => Overlay;
        /// One routing policy.
        policy, policies: PolicyId => Policy;
        /// One EVPN instance of several segments.
        evi, evis: EviId => Evi;
        /// One leak between VRFs.
        leak, leaks: LeakId => Leak;
        /// One network outside the fabric.
        outside, outsides: OutsideId => Outside;
        /// One site.
        site, sites: SiteId => Site;
        /// One path over a WAN.
        wan, wans: WanId => Wan;
        /// One machine on a host's virtual network.
        endpoint, endpoints: EndpointId => Endpoint;
        /// One bond.
        bond, bonds: BondId => Bond;
        /// One virtual network.
        network, networks: NetworkId => Network;
    }

    /// What a segment is set to where it is present.
    pub fn settings_at(&self, presence: PresenceId) -> &SegmentSettings {
        &self.settings[self.presences[presence].settings]
    }

    /// The presences of segments on a switch, in the order of the segments.
    pub fn presences_on(&self, switch: DeviceId) -> &[PresenceId] {
        self.presences_on.get(&switch).map_or(&[], Vec::as_slice)
    }

    /// A switch as a router, if it takes part in any routing.
    pub fn router_of(&self, switch: DeviceId) -> Option<&Router> {
        self.devices[switch].router.map(|router| &self.routers[router])
    }

    /// A switch as a VTEP, if a statement makes it one.
    pub fn overlay_of(&self, switch: DeviceId) -> Option<&Overlay> {
        self.router_of(switch)?.overlay.map(|overlay| &self.overlays[overlay])
    }

    /// The VTEP address of a switch.
    pub fn vtep_of(&self, switch: DeviceId) -> Option<At<IpAddr>> {
        self.overlay_of(switch)?.vtep
    }

    /// The interface at the other end, as it is cabled: of a VLAN's interface that of the other side
    /// of the pair.
    pub fn interface_far(&self, interface: InterfaceId) -> Option<InterfaceId> {
        self.interface_far[interface]
    }

    /// The static routes, in the order of the file.
    pub fn static_routes(&self) -> &[StaticRoute] {
        &self.static_routes
    }

    /// Whether two switches have one number, so that what is allotted to them is the same.
    pub(crate) fn same_number(&self, a: DeviceId, b: DeviceId) -> bool {
        let number = |device: DeviceId| self.devices[device].number.map(|number| number.value);
        a != b && number(a).is_some() && number(a) == number(b)
    }

    /// Whether a pool had nothing left for a switch.
    pub(crate) fn went_without(&self, switch: DeviceId) -> bool {
        self.exhausted.iter().any(|exhausted| exhausted.switch == Some(switch))
    }

    /// What pools could not give.
    pub fn exhausted(&self) -> &[Exhausted] {
        &self.exhausted
    }

    /// The name of an interface on its switch, such as `et49`, `et49.100` or `VLAN 3900`.
    pub fn interface_name(&self, interface: InterfaceId) -> String {
        let interface = &self.interfaces[interface];
        let base = match interface.place {
            InterfacePlace::Port(port) => self.port_name(port).to_owned(),
            InterfacePlace::Lag(lag) => self.lags[lag].name.to_string(),
            InterfacePlace::Vlan(vlan) => format!("VLAN {vlan}"),
        };
        match interface.tag {
            Some(tag) => format!("{base}.{}", tag.value),
            None => base,
        }
    }

    /// The switch's and the interface's name, as in `kelp-a et49`.
    pub fn interface_label(&self, interface: InterfaceId) -> String {
        let device = self.interfaces[interface].device;
        format!("{} {}", self.device_name(device), self.interface_name(interface))
    }

    /// The device of a name.
    pub fn find_device(&self, name: &str) -> Option<DeviceId> {
        self.device_names.get(name).copied()
    }

    /// A port of a device by name.
    pub fn find_port(&self, device: DeviceId, name: &str) -> Option<PortId> {
        let device = &self.devices[device];
        device.ports.get(self.layouts[device.layout].find(name)?)
    }

    /// The LAG end of a name on a device.
    pub fn find_lag(&self, device: DeviceId, name: &str) -> Option<LagId> {
        self.lag_names.get(&(device, SmolStr::new(name))).copied()
    }

    /// The name of a device.
    pub fn device_name(&self, device: DeviceId) -> &str {
        &self.devices[device].name
    }

    /// The name of a port on its device.
    pub fn port_name(&self, port: PortId) -> &str {
        let device = &self.devices[self.ports[port].device];
        let place = port.index() - device.ports.get(0).map_or(0, Id::index);
        self.layouts[device.layout].name(place)
    }

    /// The device's and the port's name, as in `kelp-a et1`.
    pub fn port_label(&self, port: PortId) -> String {
        format!("{} {}", self.device_name(self.ports[port].device), self.port_name(port))
    }

    /// The device's and the LAG's name, as in `kelp-a hull-01`.
    pub fn lag_label(&self, lag: LagId) -> String {
        let lag = &self.lags[lag];
        format!("{} {}", self.device_name(lag.device), lag.name.value)
    }

    /// The cable in a port and the port at its other end. Of several cables the first written
    /// counts; a lane of a broken-out port goes with the port's cable to the same lane of the
    /// far port, if that has as many.
    pub fn link(&self, port: PortId) -> Option<(CableId, PortId)> {
        if let Some((cable, end)) = self.plugged[port] {
            return Some((cable, self.cables[cable].ends[1 - end].value));
        }
        let parent = self.ports[port].lane_of?;
        let (cable, end) = self.plugged[parent]?;
        let far = self.cables[cable].ends[1 - end].value;
        if self.ports[far].lanes != self.ports[parent].lanes {
            return None;
        }
        let lane = port.index() - parent.index();
        Some((cable, PortId::from_index(far.index() + lane)))
    }

    /// The LAG end that a port is a member of.
    pub fn lag_of(&self, port: PortId) -> Option<LagId> {
        self.port_member[port].map(|member| self.members[member].lag)
    }

    /// The member that a port is, in the first LAG that claims it.
    pub fn member_of(&self, port: PortId) -> Option<MemberId> {
        self.port_member[port]
    }

    /// The settings of a single port, if any were written.
    pub fn settings_of(&self, port: PortId) -> Option<&PortSettings> {
        self.port_settings.get(&port)
    }

    /// The hardware of a device, if its kind is named.
    pub fn hardware_of(&self, device: DeviceId) -> Option<&Hardware> {
        self.devices[device].hardware.map(|kind| &self.hardware[kind.value])
    }

    /// The NICs of an uplink.
    pub fn uplink_ports(&self, uplink: Uplink) -> Vec<PortId> {
        match uplink {
            Uplink::Bond(bond) => self.bonds[bond].nics.iter().map(|nic| nic.value).collect(),
            Uplink::Nic(port) => vec![port],
        }
    }

    /// The member of a stack that a port is on.
    pub fn stack_member(&self, port: PortId) -> Option<&StackMember> {
        let stack = self.devices[self.ports[port].device].stack?;
        self.stacks[stack].members.iter().find(|member| member.ports.contains(port))
    }

    /// Whether a port joins two members of a stack.
    pub fn is_stack_port(&self, port: PortId) -> bool {
        self.stack_member(port).is_some_and(|member| member.stack_ports.contains(&port))
    }

    /// The LACP key that a LAG presents: the written one, that of its group, or its own.
    pub fn lacp_key(&self, lag: LagId) -> u16 {
        let lag = &self.lags[lag];
        // All leaves of an Ethernet segment must present one key: it follows from the identifier.
        let of_segment = lag.segment.filter(|_| lag.group.is_none()).map(|segment| {
            let octets = self.ethernet_segments[segment].id.octets();
            let at = if octets[0] == 1 { 7 } else { 8 };
            u16::from_be_bytes([octets[at], octets[at + 1]])
        });
        let of_group =
            lag.group.and_then(|group| u16::try_from(self.groups[group].number.get()).ok());
        lag.key.map(|key| key.value).or(of_group).or(of_segment).unwrap_or(lag.own_key)
    }

    /// The pair that both switches are the sides of.
    pub fn pair_of(&self, a: DeviceId, b: DeviceId) -> Option<PairId> {
        let (pair, _) = self.devices[a].pair?;
        (a != b && self.devices[b].pair.is_some_and(|(other, _)| other == pair)).then_some(pair)
    }
}
