//! What is cabled and configured below routing: devices, ports, LAGs, pairs, stacks, trees and the
//! networks of hosts.

use std::net::IpAddr;

use smol_str::SmolStr;

use super::layout::LayoutId;
use super::{
    BondId, DeviceId, EthernetSegmentId, GroupId, HardwareId, LagId, MemberId, PairId, PortId,
    RouterId, StackId, TreeId,
};
use crate::diagnostic::{At, Place, Span};
use crate::id::IdRange;
use crate::value::{
    Activity, BondProtocol, BridgePriority, Domain, Duplex, Esi, EthernetSegmentIdentifier,
    EthernetSegmentMode, GroupNumber, HashPolicy, InstanceNumber, IpInterface, IpPrefix, Length,
    MacAddr, Medium, Mtu, Number, PartnerBy, PathCost, PathCosts, PeerLinkLoss, Preference,
    Protocol, Role, Speed, SplitDetection, StackMemberNumber, StackNumber, Timeout, TreeMode,
    TreePortPriority, Unanswered, VlanId, VlanSet,
};

/// What a kind of switch can do.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Hardware {
    /// The kind's name.
    pub name: At<SmolStr>,
    /// Whether it speaks LACP.
    pub lacp: At<bool>,
    /// Whether a LAG may be a routed port.
    pub routed_lags: At<bool>,
    /// How many members of one LAG it uses at once.
    pub members_in_use: Option<At<u16>>,
    /// How many members it takes into one LAG.
    pub members_bundled: Option<At<u16>>,
    /// Whether members of one LAG may differ in speed, duplex or medium.
    pub mixed_rates: bool,
    /// How many members a stack of it may have.
    pub stack_members: Option<At<u16>>,
    /// VLANs that it keeps for itself.
    pub reserved_vlans: Option<At<VlanSet>>,
    /// Whether it can be a VTEP.
    pub vtep: At<bool>,
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
#[derive(Clone, Debug, PartialEq)]
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
    /// The hosts among which a host's guests move.
    pub cluster: Option<At<SmolStr>>,
    /// The MTU of a host's NICs.
    pub mtu: Option<At<Mtu>>,
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
    pub(super) layout: LayoutId,
}

/// A port of a switch or a NIC of a host.
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub struct Port {
    /// The device.
    pub device: DeviceId,
    /// Where the port was written.
    pub span: Place,
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
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub struct TreePort {
    /// Whether it is an edge port.
    pub edge: At<bool>,
    /// Whether it takes part.
    pub runs: At<bool>,
    /// Its path cost.
    pub cost: Option<At<PathCost>>,
    /// Its port priority.
    pub priority: TreePortPriority,
}

/// Settings of a single port.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct PortSettings {
    /// The VLANs that it carries tagged.
    pub tagged: At<VlanSet>,
    /// The VLAN of untagged frames.
    pub untagged: Option<At<VlanId>>,
    /// Its MTU.
    pub mtu: Option<At<Mtu>>,
    /// Whether it is switched on.
    pub enabled: At<bool>,
    /// Its addresses, if it is a routed port.
    pub addresses: Vec<At<IpInterface>>,
    /// The partition of the switch that it belongs to.
    pub partition: Option<At<SmolStr>>,
    /// Its part in the spanning tree.
    pub tree: TreePort,
    /// The statement's place for the port.
    pub span: Place,
}

/// A cable.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Cable {
    /// The two ports, in the order written, each with the place of its name.
    pub ends: [At<PortId>; 2],
    /// The run that the cable is of.
    pub span: Place,
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
#[derive(Clone, Debug, PartialEq)]
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
    /// Which of several partners it takes.
    pub partner_by: PartnerBy,
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
    pub ethernet_segment: Option<At<EthernetSegmentIdentifier>>,
    /// The Ethernet segment, if it is of one.
    pub segment: Option<EthernetSegmentId>,
    /// The mode of the Ethernet segment, as this leaf has it.
    pub ethernet_segment_mode: At<EthernetSegmentMode>,
    /// Its preference in an election by preference, where it is not that of the overlay.
    pub ethernet_segment_preference: Option<At<Preference>>,
    /// Its part in the spanning tree.
    pub tree: TreePort,
}

impl Lag {
    /// Whether it carries a VLAN, tagged or not.
    pub fn carries(&self, vlan: VlanId) -> bool {
        self.tagged.contains(vlan) || self.untagged.is_some_and(|own| own.value == vlan)
    }
}

/// A port as a member of a LAG.
#[derive(Clone, Copy, Debug, PartialEq)]
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
#[derive(Clone, Copy, Debug, PartialEq)]
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
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Pair {
    /// Its name.
    pub name: At<SmolStr>,
    /// Its two sides, in the order of their names in the file.
    pub sides: [Side; 2],
}

/// One side of a pair.
#[derive(Clone, Debug, PartialEq)]
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
    /// Whether it names a peer link that neither side has.
    pub(crate) misnames_peer_link: bool,
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
    /// What it does as the secondary when the peer link is lost.
    pub secondary: PeerLinkLoss,
    /// The pair's system MAC address, as it follows from this side's domain.
    pub system_mac: MacAddr,
}

impl Side {
    /// The LAGs towards the other side: the peer link, and the one for data beside it.
    pub fn links(&self) -> impl Iterator<Item = LagId> + use<> {
        self.peer_link.into_iter().chain(self.data_link).map(|link| link.value)
    }
}

/// By which addresses one side of a pair asks whether the other is alive.
#[derive(Clone, Debug, PartialEq)]
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
#[derive(Clone, Debug, PartialEq)]
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
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Stack {
    /// The switch that they make.
    pub switch: At<DeviceId>,
    /// The number that the members are set to, where they don't differ.
    pub stack_id: Option<At<StackNumber>>,
    /// By what the parts of a split stack notice each other.
    pub split_detection: At<SplitDetection>,
    /// The members, in the order written.
    pub members: Vec<StackMember>,
}

/// One member of a stack.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct StackMember {
    /// Its number.
    pub id: At<StackMemberNumber>,
    /// The priority by which the lead is found, if one is written; the higher is the better.
    pub priority: Option<At<u16>>,
    /// Its own MAC address.
    pub mac: MacAddr,
    /// Its kind.
    pub hardware: Option<At<HardwareId>>,
    /// Its software.
    pub software: Option<At<SmolStr>>,
    /// The number of the stack that it is set to be of.
    pub stack_id: Option<At<StackNumber>>,
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
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Repeater {
    /// Its name.
    pub name: At<SmolStr>,
    /// The ports on it.
    pub ports: Vec<At<PortId>>,
}

/// What a switch does about loops.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct TreeSettings {
    /// The switch.
    pub switch: DeviceId,
    /// Where the statement names the switch.
    pub span: Place,
    /// Which tree it runs.
    pub mode: At<TreeMode>,
    /// The bridge priority, where it is written.
    pub priority: Option<At<BridgePriority>>,
    /// The name of its MST region.
    pub region: Option<At<SmolStr>>,
    /// The revision of its MST region.
    pub revision: At<u16>,
    /// The instances of its MST region, by number.
    pub instances: Vec<TreeInstance>,
    /// The priorities of single VLANs.
    pub vlan_priorities: Vec<(At<VlanSet>, At<BridgePriority>)>,
    /// From which table path costs follow.
    pub path_costs: PathCosts,
}

/// An instance of an MST region, as one switch has it.
#[derive(Clone, Debug, PartialEq)]
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
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct EthernetSegment {
    /// Its identifier.
    pub id: Esi,
    /// The LAGs, in order.
    pub legs: Vec<LagId>,
}

/// A host's bond.
#[derive(Clone, Debug, PartialEq)]
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
    /// What it speaks, or how it uses its NICs without a LAG.
    pub protocol: At<BondProtocol>,
    /// The NIC that is used while it has a link, of one that is active-standby.
    pub active: Option<At<PortId>>,
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
#[derive(Clone, Debug, PartialEq)]
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

impl Network {
    /// Whether its guests tag by themselves, as it has several tags.
    pub fn is_trunk(&self) -> bool {
        self.tags.as_ref().is_some_and(|tags| tags.iter().nth(1).is_some())
    }
}
