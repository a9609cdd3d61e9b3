//! The spanning trees that the bridges of a fabric settle on.
//!
//! Source: IEEE 802.1Q clause 13 (RSTP and MSTP). One tree for each VLAN is no standard, and is
//! modelled as such a tree over the links that carry the VLAN.
//!
//! A **bridge** is a switch, a stack, or a pair (with the identifier that both sides share). A
//! **bridge port** is what carries VLANs: a LAG that is up, a multi-chassis LAG as a whole, a port,
//! or a member of a LAG that works for itself. The peer link is inside the bridge and never
//! discards. Hosts and routers are no bridges. Towards an Ethernet segment the tree is off.
//!
//! Bridges do not pass BPDUs on (802.1Q clause 8.6.3), so a bridge whose tree is off hides those
//! behind it.

mod bridges;
mod forwarding;
mod spanning;
mod spans;

use std::fmt;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use smol_str::SmolStr;

use super::cause::{Aspect, Causes, Entity};
use super::lag::{LagOutcome, MemberOutcome};
use super::link::Links;
use super::stack::Stacks;
use crate::fabric::{
    Condition, DeviceId, Fabric, GroupId, LagId, MemberId, PortId, TreeId, TreeSettings,
};
use crate::id::{IdVec, typed_id};
use crate::value::{InstanceNumber, MacAddr, Speed, TreeMode, VlanId, VlanSet};
use bridges::Builder;
pub use forwarding::{Cut, Loop};

typed_id! { /** A bridge. */ pub BridgeId, "bridge" }
typed_id! { /** A port of a bridge. */ pub BridgePortId, "bridge_port" }
typed_id! { /** What joins ports of bridges: a link, a LAG, or a shared medium. */ pub(crate) LanId, "lan" }

/// A bridge identifier. The lesser is the better: priority first, then MAC address.
///
/// Source: IEEE 802.1Q clause 14.2.5.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct BridgeIdentifier {
    /// The priority.
    pub priority: u32,
    /// The MAC address.
    pub mac: MacAddr,
}

impl fmt::Display for BridgeIdentifier {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.priority, self.mac)
    }
}

/// A bridge.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Bridge {
    /// The switches that it is made of: one, or the two of a pair.
    pub devices: SmallVec<[DeviceId; 2]>,
    /// Its identifier in the common tree.
    pub identifier: BridgeIdentifier,
    /// Which tree it runs.
    pub mode: TreeMode,
    /// What is written about its tree.
    pub settings: Option<TreeId>,
    /// Whether somebody chose its priority, or it is the one that devices come with.
    pub chosen: bool,
}

/// What carries the frames of a bridge port.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Carrier {
    /// A port, or a member of a LAG that works for itself.
    Port(PortId),
    /// A LAG.
    Lag(LagId),
    /// A multi-chassis LAG as a whole.
    Group(GroupId),
}

/// A port of a bridge.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct BridgePort {
    /// The bridge.
    pub bridge: BridgeId,
    /// What carries its frames.
    pub carrier: Carrier,
    /// Its number on the bridge.
    pub number: u16,
    /// Its priority; the lower is the better.
    pub priority: u32,
    /// What it adds to the cost of a path.
    pub cost: u32,
    /// What it carries per second, together.
    pub bandwidth: Option<Speed>,
    /// The VLANs that it carries, tagged or not.
    pub vlans: VlanSet,
    /// Whether it takes part in a tree.
    pub runs: bool,
    /// Whether it has a link.
    pub linked: bool,
    pub(crate) lan: Option<LanId>,
}

/// What a port does in a tree (IEEE 802.1Q clause 13.12).
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum PortRole {
    /// It leads to the root.
    Root,
    /// It leads others to the root.
    Designated,
    /// It leads out of the region, to the root of the common tree.
    Master,
    /// It would lead to the root, if the root port did not.
    Alternate,
    /// It leads back to its own bridge.
    Backup,
    /// It takes no part, and forwards.
    Off,
    /// It has no link.
    Disabled,
}

impl PortRole {
    /// Whether frames pass it once the tree has settled.
    pub const fn forwards(self) -> bool {
        matches!(self, Self::Root | Self::Designated | Self::Master | Self::Off)
    }

    /// Whether it holds frames back.
    pub const fn discards(self) -> bool {
        matches!(self, Self::Alternate | Self::Backup)
    }

    /// The word for it.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Root => "root",
            Self::Designated => "designated",
            Self::Master => "master",
            Self::Alternate => "alternate",
            Self::Backup => "backup",
            Self::Off => "no tree",
            Self::Disabled => "disabled",
        }
    }
}

/// What decided over a port.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum TreeReason {
    /// The bridge is the root, so all its ports are designated.
    IsRoot,
    /// No other way leads to the root.
    OnlyWay,
    /// No other bridge is on the LAN.
    NobodyElse,
    /// The cost of the path to the root, against the next best.
    Cost {
        /// The own cost.
        own: u32,
        /// The next best.
        other: u32,
    },
    /// Costs are equal; the bridge at the other end, or this one, has the better identifier.
    Bridge,
    /// Costs and bridges are equal; the port at the other end has the better identifier.
    Port,
    /// All is equal but the own port.
    OwnPort,
    /// Another port of the LAN is designated, by its cost or its bridge's identifier.
    Beaten {
        /// That port.
        by: BridgePortId,
        /// The own bridge's cost to the root.
        own: u32,
        /// The cost of the other's bridge.
        other: u32,
        /// Whether the costs are equal, so that the bridge identifier decided.
        by_bridge: bool,
    },
    /// Another port of the same bridge is on the LAN and is the better.
    OwnOtherPort(BridgePortId),
    /// At the edge of a region the common tree decides.
    Common,
    /// The tree is off here.
    Off,
    /// There is no link.
    NoLink,
}

/// What a tree is for.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum TreeKind {
    /// All VLANs, or those of no instance: the common and internal spanning tree.
    Common,
    /// The VLANs of an instance of an MST region.
    Instance {
        /// The region's name.
        region: SmolStr,
        /// The instance.
        id: InstanceNumber,
    },
    /// Some VLANs, each with a tree of its own that is the same as the others'.
    Vlans(VlanSet),
}

/// How a bridge stands in a tree.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct TreeCase {
    /// The root bridge.
    pub root: BridgeId,
    /// The cost of the path to the root, between regions.
    pub cost: u32,
    /// The cost inside the region.
    pub internal_cost: u32,
    /// The root port; none on the root itself.
    pub root_port: Option<BridgePortId>,
}

/// One spanning tree.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Tree {
    /// What it is for.
    pub kind: TreeKind,
    /// How each bridge stands in it; none where it has no part.
    pub bridges: IdVec<BridgeId, Option<TreeCase>>,
    ports: FxHashMap<BridgePortId, (PortRole, TreeReason)>,
}

impl Tree {
    /// What a port does in this tree and why; none where it has no part.
    pub fn port(&self, port: BridgePortId) -> Option<(PortRole, TreeReason)> {
        self.ports.get(&port).copied()
    }
}

/// All trees of a fabric, with the bridges and ports that they are of.
#[derive(Clone, Debug)]
pub struct Trees {
    of_device: IdVec<DeviceId, Option<BridgeId>>,
    /// The bridge port that each port is, or is part of.
    at: IdVec<PortId, Option<BridgePortId>>,
    pub(crate) bridges: IdVec<BridgeId, Bridge>,
    pub(crate) ports: IdVec<BridgePortId, BridgePort>,
    pub(crate) lans: IdVec<LanId, SmallVec<[BridgePortId; 2]>>,
    /// The ports of each bridge that share a LAN with others.
    joining: IdVec<BridgeId, SmallVec<[BridgePortId; 2]>>,
    /// The common tree, for every port.
    common: IdVec<BridgePortId, (PortRole, TreeReason)>,
    /// The common tree first.
    all: Vec<Tree>,
    loops: Vec<Loop>,
    cuts: Vec<Cut>,
    region_of: IdVec<BridgeId, u32>,
    /// The VLANs of each instance, as a bridge of its region has them.
    instance_vlans: FxHashMap<(BridgeId, u32), VlanSet>,
    instance_sets: Vec<VlanSet>,
}

impl Trees {
    /// One bridge.
    pub fn bridge(&self, bridge: BridgeId) -> &Bridge {
        &self.bridges[bridge]
    }

    /// The bridge that a switch is, or is part of.
    pub fn bridge_of(&self, device: DeviceId) -> Option<BridgeId> {
        self.of_device[device]
    }

    /// What a port does for the frames of a VLAN; none if it is no bridge's, or inside a bridge.
    pub fn role_at(&self, port: PortId, vlan: VlanId) -> Option<PortRole> {
        self.at[port].map(|port| self.role(port, vlan))
    }

    /// All bridges.
    pub fn bridges(&self) -> impl ExactSizeIterator<Item = (BridgeId, &Bridge)> {
        self.bridges.iter()
    }

    /// One port of a bridge.
    pub fn port(&self, port: BridgePortId) -> &BridgePort {
        &self.ports[port]
    }

    /// All ports of bridges.
    pub fn ports(&self) -> impl ExactSizeIterator<Item = (BridgePortId, &BridgePort)> {
        self.ports.iter()
    }

    /// The trees, the common one first.
    pub fn trees(&self) -> &[Tree] {
        &self.all
    }

    /// The trees that decide over frames of a bridge: not the common one where the bridge has a tree
    /// for each VLAN.
    pub fn holding(&self, bridge: BridgeId) -> impl Iterator<Item = &Tree> {
        let by_vlan = self.bridges[bridge].mode == TreeMode::PerVlan
            && self.all.iter().any(|tree| {
                matches!(tree.kind, TreeKind::Vlans(_)) && tree.bridges[bridge].is_some()
            });
        self.all.iter().filter(move |tree| {
            tree.bridges[bridge].is_some() && !(by_vlan && tree.kind == TreeKind::Common)
        })
    }

    /// What a port does in a tree, and why; none where it has no part in it.
    pub fn in_tree(&self, tree: &Tree, port: BridgePortId) -> Option<(PortRole, TreeReason)> {
        match tree.kind {
            TreeKind::Common => Some(self.common[port]),
            _ => tree.port(port),
        }
    }

    /// What a port does in the common tree, and why.
    pub fn common(&self, port: BridgePortId) -> (PortRole, TreeReason) {
        self.common[port]
    }

    /// The ports of a bridge that lead to other bridges.
    pub(crate) fn joining(&self, bridge: BridgeId) -> &[BridgePortId] {
        &self.joining[bridge]
    }

    /// The ports that carry the frames of a bridge port.
    pub(crate) fn carrier_ports(&self, fabric: &Fabric, port: BridgePortId) -> Vec<PortId> {
        let of_lag = |lag: LagId| {
            fabric.lag(lag).members.iter().map(|member| fabric.member(member).port.value)
        };
        match self.ports[port].carrier {
            Carrier::Port(port) => vec![port],
            Carrier::Lag(lag) => of_lag(lag).collect(),
            Carrier::Group(group) => {
                fabric.group(group).halves.into_iter().flatten().flat_map(of_lag).collect()
            }
        }
    }

    /// The other bridges' ports on the LAN of a port.
    pub fn neighbours(&self, port: BridgePortId) -> impl Iterator<Item = BridgePortId> + '_ {
        let lan = self.ports[port].lan.map(|lan| &self.lans[lan][..]).unwrap_or_default();
        lan.iter().copied().filter(move |&other| other != port)
    }

    /// What a port does for the frames of a VLAN.
    pub fn role(&self, port: BridgePortId, vlan: VlanId) -> PortRole {
        for tree in self.all.iter().skip(1) {
            let holds = match &tree.kind {
                TreeKind::Vlans(vlans) => vlans.contains(vlan),
                TreeKind::Instance { .. } => self.instance_holds(tree, port, vlan),
                TreeKind::Common => false,
            };
            if let Some((role, _)) = tree.port(port).filter(|_| holds) {
                return role;
            }
        }
        self.common[port].0
    }

    /// Loops that frames find.
    pub fn loops(&self) -> &[Loop] {
        &self.loops
    }

    /// VLANs that are cut in two.
    pub fn cuts(&self) -> &[Cut] {
        &self.cuts
    }

    /// Whether two bridges run MSTP in one region.
    pub fn same_region(&self, a: BridgeId, b: BridgeId) -> bool {
        self.region_of[a] == self.region_of[b]
    }

    fn instance_holds(&self, tree: &Tree, port: BridgePortId, vlan: VlanId) -> bool {
        self.instance_vlans
            .get(&(self.ports[port].bridge, key(&tree.kind)))
            .is_some_and(|vlans| vlans.contains(vlan))
    }

    fn forwards_any(&self, port: BridgePortId) -> bool {
        self.roles(port).any(PortRole::forwards)
    }

    fn discards_any(&self, port: BridgePortId) -> bool {
        self.roles(port).any(PortRole::discards)
    }

    fn roles(&self, port: BridgePortId) -> impl Iterator<Item = PortRole> + '_ {
        let others = self.all.iter().skip(1).filter_map(move |tree| Some(tree.port(port)?.0));
        std::iter::once(self.common[port].0).chain(others)
    }

    /// All sets of VLANs that tell VLANs apart here.
    fn class_sets(&self) -> impl Iterator<Item = &VlanSet> {
        let of_ports = self.ports.values().map(|port| &port.vlans);
        let of_trees = self.all.iter().filter_map(|tree| match &tree.kind {
            TreeKind::Vlans(vlans) => Some(vlans),
            _ => None,
        });
        of_ports.chain(of_trees).chain(self.instance_sets.iter())
    }
}

/// Tells instances apart in a map.
fn key(kind: &TreeKind) -> u32 {
    match kind {
        TreeKind::Instance { id, .. } => id.get(),
        _ => 0,
    }
}

pub(super) fn trees(
    fabric: &Fabric,
    condition: &Condition,
    links: &Links,
    stacks: &Stacks,
    members: &IdVec<MemberId, MemberOutcome>,
    lags: &IdVec<LagId, LagOutcome>,
    causes: &mut Causes,
) -> Trees {
    let mut builder = Builder {
        fabric,
        condition,
        far: &links.effective,
        members,
        lags,
        bridges: IdVec::default(),
        ports: IdVec::default(),
        stacks,
        of_device: IdVec::filled(&fabric.devices, None),
        of_part: FxHashMap::default(),
        at: IdVec::filled(&fabric.ports, None),
    };
    builder.bridges();
    builder.lag_ports();
    builder.single_ports();
    let lans = builder.lans();
    let (bridges, ports, of_device, at) =
        (builder.bridges, builder.ports, builder.of_device, builder.at);
    let region_of = regions(fabric, &bridges);
    let mut joining = IdVec::filled(&bridges, SmallVec::new());
    for &port in lans.values().filter(|on| on.len() > 1).flatten() {
        joining[ports[port].bridge].push(port);
    }
    let common = IdVec::filled(&ports, (PortRole::Disabled, TreeReason::NoLink));
    let mut trees = Trees {
        of_device,
        at,
        bridges,
        ports,
        lans,
        joining,
        common,
        all: Vec::new(),
        loops: Vec::new(),
        cuts: Vec::new(),
        region_of,
        instance_vlans: FxHashMap::default(),
        instance_sets: Vec::new(),
    };
    trees.span(fabric);
    trees.loops = forwarding::loops(&trees);
    trees.cuts = forwarding::cuts(&trees);
    claim(&trees, causes);
    trees
}

/// A loop is a cause that hides what else the trees of its bridges look like.
fn claim(trees: &Trees, causes: &mut Causes) {
    for found in &trees.loops {
        let device = |port: &BridgePortId| trees.bridges[trees.ports[*port].bridge].devices[0];
        let Some(first) = found.ports.first() else { continue };
        let cause = causes.add("tree-loop", Entity::Device(device(first)), Aspect::Tree, None);
        for port in &found.ports {
            causes.claim(cause, Entity::Device(device(port)), Aspect::Tree);
        }
    }
}

/// The region of each bridge: those of one name, revision and map of VLANs share it, all others are
/// a region of their own (IEEE 802.1Q clause 13.8).
fn regions(fabric: &Fabric, bridges: &IdVec<BridgeId, Bridge>) -> IdVec<BridgeId, u32> {
    let mut known: FxHashMap<RegionIdentity, u32> = FxHashMap::default();
    let mut next = 0;
    let mut new = || {
        next += 1;
        next
    };
    let region = |bridge: &Bridge| match bridge.settings.map(|tree| fabric.tree(tree)) {
        Some(settings) if bridge.mode == TreeMode::Mstp => {
            *known.entry(region_identity(settings)).or_insert_with(&mut new)
        }
        _ => new(),
    };
    IdVec::of(bridges.values().map(region).collect::<Vec<_>>())
}

/// Name, revision and map of VLANs to instances of an MST region.
pub(crate) type RegionIdentity = (SmolStr, u16, Vec<(InstanceNumber, VlanSet)>);

/// What must be equal for two bridges to be in one region (IEEE 802.1Q clause 13.8).
pub(crate) fn region_identity(settings: &TreeSettings) -> RegionIdentity {
    let instances = settings.instances.iter();
    (
        settings.region.as_ref().map(|name| name.value.clone()).unwrap_or_default(),
        settings.revision.map_or(0, |revision| revision.value),
        instances.map(|instance| (instance.id.value, instance.vlans.value.clone())).collect(),
    )
}
