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

mod forwarding;
mod spanning;

use std::collections::BTreeMap;
use std::fmt;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use smol_str::SmolStr;

use super::Condition;
use super::cause::{Aspect, Causes, Entity};
use super::lag::{LagOutcome, MemberOutcome, MemberState};
use super::partner::port_number;
use crate::fabric::{
    DeviceId, DeviceKind, Fabric, GroupId, LagId, MemberId, PortId, TreeId, TreePort, TreeSettings,
};
use crate::id::{IdVec, typed_id};
use crate::value::{
    BridgePriority, InstanceNumber, MacAddr, PathCosts, Role, Speed, TreeMode, TreePortPriority,
    VlanId, VlanSet,
};
pub use forwarding::{Cut, Loop};
use spanning::Plant;

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
    pub(crate) bridges: IdVec<BridgeId, Bridge>,
    pub(crate) ports: IdVec<BridgePortId, BridgePort>,
    pub(crate) lans: IdVec<LanId, SmallVec<[BridgePortId; 2]>>,
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

    /// What a port does in the common tree, and why.
    pub fn common(&self, port: BridgePortId) -> (PortRole, TreeReason) {
        self.common[port]
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
    far: &IdVec<PortId, Option<PortId>>,
    members: &IdVec<MemberId, MemberOutcome>,
    lags: &IdVec<LagId, LagOutcome>,
    causes: &mut Causes,
) -> Trees {
    let mut builder = Builder {
        fabric,
        condition,
        far,
        members,
        lags,
        bridges: IdVec::default(),
        ports: IdVec::default(),
        of_device: IdVec::filled(&fabric.devices, None),
        at: IdVec::filled(&fabric.ports, None),
    };
    builder.bridges();
    builder.lag_ports();
    builder.single_ports();
    let lans = builder.lans();
    let (bridges, ports, of_device) = (builder.bridges, builder.ports, builder.of_device);
    let region_of = regions(fabric, &bridges);
    let common = IdVec::filled(&ports, (PortRole::Disabled, TreeReason::NoLink));
    let mut trees = Trees {
        of_device,
        bridges,
        ports,
        lans,
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
    IdVec::from(bridges.values().map(region).collect::<Vec<_>>())
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

struct Builder<'a> {
    fabric: &'a Fabric,
    condition: &'a Condition,
    far: &'a IdVec<PortId, Option<PortId>>,
    members: &'a IdVec<MemberId, MemberOutcome>,
    lags: &'a IdVec<LagId, LagOutcome>,
    bridges: IdVec<BridgeId, Bridge>,
    ports: IdVec<BridgePortId, BridgePort>,
    of_device: IdVec<DeviceId, Option<BridgeId>>,
    /// The bridge port that each port is, or is part of.
    at: IdVec<PortId, Option<BridgePortId>>,
}

impl Builder<'_> {
    fn bridges(&mut self) {
        for (id, device) in self.fabric.devices() {
            let routes = device.role.is_some_and(|role| role.value == Role::Router);
            let bridges = device.kind == DeviceKind::Switch && (!routes || device.tree.is_some());
            if !bridges || self.condition.devices.contains(&id) {
                continue;
            }
            let first = device.pair.map(|(pair, _)| self.fabric.pair(pair).sides[0].switch.value);
            if let Some(bridge) = first.and_then(|first| self.of_device[first]) {
                self.bridges[bridge].devices.push(id);
                self.of_device[id] = Some(bridge);
                continue;
            }
            let settings = device.tree.map(|tree| self.fabric.tree(tree));
            let priority = settings.and_then(|settings| settings.priority);
            let mac = match device.pair {
                Some((pair, side)) => self.fabric.pair(pair).sides[side].system_mac,
                None => device.mac.value,
            };
            self.of_device[id] = Some(self.bridges.push(Bridge {
                devices: SmallVec::from_slice(&[id]),
                identifier: BridgeIdentifier {
                    priority: priority.map_or(BridgePriority::DEFAULT, |p| p.value).get(),
                    mac,
                },
                mode: settings.map_or(TreeMode::Rstp, |settings| settings.mode.value),
                settings: device.tree,
                chosen: priority.is_some(),
            }));
        }
    }

    /// Whether a LAG is between the two sides of a pair: inside the bridge.
    fn is_inside(&self, lag: LagId) -> bool {
        let Some((pair, side)) = self.fabric.device(self.fabric.lag(lag).device).pair else {
            return false;
        };
        let side = &self.fabric.pair(pair).sides[side];
        [side.peer_link, side.data_link].into_iter().flatten().any(|link| link.value == lag)
    }

    fn lag_ports(&mut self) {
        let mut of_group: IdVec<GroupId, Option<BridgePortId>> =
            IdVec::filled(&self.fabric.groups, None);
        for (id, lag) in self.fabric.lags() {
            let Some(bridge) = self.of_device[lag.device] else { continue };
            let vlans = vlans(&lag.tagged.value, lag.untagged.map(|vlan| vlan.value));
            if vlans.is_empty() || !lag.addresses.is_empty() || self.is_inside(id) {
                continue;
            }
            let outcome = &self.lags[id];
            // RFC 7432 section 8.5 keeps loops out of an Ethernet segment, not the tree.
            let by_tree = lag.segment.is_none() || lag.group.is_some();
            let known = lag.group.and_then(|group| of_group[group]);
            let together = match known {
                Some(port) => port,
                None => {
                    let carrier = lag.group.map_or(Carrier::Lag(id), Carrier::Group);
                    let first = lag.members.get(0).map(|m| self.fabric.member(m).port.value);
                    let Some(first) = first else { continue };
                    let port = self.add(bridge, carrier, first, lag.tree, &vlans);
                    self.ports[port].runs &= by_tree;
                    if let Some(group) = lag.group {
                        of_group[group] = Some(port);
                    }
                    port
                }
            };
            let port = &mut self.ports[together];
            if known.is_some() && port.vlans != vlans {
                port.vlans = port.vlans.union(&vlans);
            }
            port.linked |= outcome.up;
            port.bandwidth = Speed::sum(port.bandwidth.into_iter().chain(outcome.bandwidth));
            for member in lag.members.iter() {
                let state = self.members[member].state;
                let physical = self.fabric.member(member).port.value;
                if self.members[member].distributing {
                    self.at[physical] = Some(together);
                } else if state == MemberState::Individual {
                    let alone =
                        self.add(bridge, Carrier::Port(physical), physical, lag.tree, &vlans);
                    self.ports[alone].linked = true;
                    self.ports[alone].runs &= by_tree;
                    self.ports[alone].bandwidth = Some(self.fabric.port(physical).speed);
                    self.at[physical] = Some(alone);
                }
            }
        }
    }

    fn single_ports(&mut self) {
        let mut settings: Vec<_> = self.fabric.port_settings.iter().collect();
        settings.sort_unstable_by_key(|&(&port, _)| port);
        for (&port, settings) in settings {
            let Some(bridge) = self.of_device[self.fabric.port(port).device] else { continue };
            let vlans = vlans(&settings.tagged.value, settings.untagged.map(|vlan| vlan.value));
            let routed = !settings.addresses.is_empty();
            if vlans.is_empty() || routed || self.fabric.lag_of(port).is_some() {
                continue;
            }
            let id = self.add(bridge, Carrier::Port(port), port, settings.tree, &vlans);
            self.ports[id].linked = self.far[port].is_some();
            self.ports[id].bandwidth = Some(self.fabric.port(port).speed);
            self.at[port] = Some(id);
        }
    }

    fn add(
        &mut self,
        bridge: BridgeId,
        carrier: Carrier,
        first: PortId,
        tree: TreePort,
        vlans: &VlanSet,
    ) -> BridgePortId {
        let (side, place) = port_number(self.fabric, first);
        // IEEE 802.1Q clause 13.27.46: 12 bits of number; the second side of a pair has the upper half.
        let number = u16::try_from(side * 2048 + place + 1).unwrap_or(u16::MAX);
        let off = self.bridges[bridge].mode == TreeMode::Off;
        self.ports.push(BridgePort {
            bridge,
            carrier,
            number,
            priority: tree.priority.map_or(TreePortPriority::DEFAULT, |p| p.value).get(),
            cost: tree.cost.map_or(0, |cost| cost.value.get()),
            bandwidth: None,
            vlans: vlans.clone(),
            runs: !off && tree.runs.is_none_or(|runs| runs.value),
            linked: false,
            lan: None,
        })
    }

    /// What joins the bridge ports. Of a static LAG whose members lead to several ports the first link
    /// counts: BPDUs go out by one member only, and what comes in by one does not leave by another, so
    /// the other ports hear nothing and close no loop.
    fn lans(&mut self) -> IdVec<LanId, SmallVec<[BridgePortId; 2]>> {
        let mut lans: IdVec<LanId, SmallVec<[BridgePortId; 2]>> = IdVec::default();
        for (_, repeater) in self.fabric.repeaters() {
            let mut on = SmallVec::new();
            for port in &repeater.ports {
                if super::port::is_up(self.fabric, self.condition, port.value) {
                    on.extend(self.at[port.value]);
                }
            }
            let lan = lans.push(on);
            for index in 0..lans[lan].len() {
                let port = lans[lan][index];
                self.ports[port].lan = Some(lan);
                self.ports[port].linked = true;
            }
        }
        for port in self.fabric.ports.ids() {
            let (Some(near), Some(far)) = (self.at[port], self.far[port].and_then(|f| self.at[f]))
            else {
                continue;
            };
            if near == far {
                continue;
            }
            if self.ports[near].lan.is_some() || self.ports[far].lan.is_some() {
                continue;
            }
            let lan = lans.push(SmallVec::from_slice(&[near, far]));
            self.ports[near].lan = Some(lan);
            self.ports[far].lan = Some(lan);
        }
        for port in self.ports.ids() {
            let of = &self.ports[port];
            if of.cost == 0 {
                let costs = self.bridges[of.bridge]
                    .settings
                    .map_or(PathCosts::Long, |tree| self.fabric.tree(tree).path_costs);
                self.ports[port].cost =
                    of.bandwidth.map_or(200_000_000, |speed| cost(speed, costs));
            }
        }
        lans
    }
}

fn vlans(tagged: &VlanSet, untagged: Option<VlanId>) -> VlanSet {
    match untagged {
        Some(vlan) => tagged.union(&vlan.into()),
        None => tagged.clone(),
    }
}

/// The path cost that follows from a port's rate.
fn cost(speed: Speed, costs: PathCosts) -> u32 {
    let megabits = speed.megabits();
    match costs {
        // IEEE 802.1Q table 13-4: 20 000 for 1 Gb/s, in inverse proportion.
        PathCosts::Long => (20_000_000 / megabits.max(1)).max(1),
        // IEEE 802.1D-1998 table 8-5, and 1 beyond its fastest.
        PathCosts::Short => match megabits {
            0..=10 => 100,
            11..=100 => 19,
            101..=1000 => 4,
            1001..=10_000 => 2,
            _ => 1,
        },
    }
}

impl Trees {
    /// Spans all trees.
    fn span(&mut self, fabric: &Fabric) {
        let mut ports: IdVec<BridgeId, Vec<BridgePortId>> =
            IdVec::filled(&self.bridges, Vec::new());
        for (id, port) in self.ports.iter() {
            self.common[id] = match (port.linked, port.runs) {
                (false, _) => (PortRole::Disabled, TreeReason::NoLink),
                (true, false) => (PortRole::Off, TreeReason::Off),
                (true, true) => {
                    ports[port.bridge].push(id);
                    continue;
                }
            };
        }
        let lans: IdVec<LanId, SmallVec<[BridgePortId; 2]>> = IdVec::from(
            self.lans
                .values()
                .map(|on| {
                    let runs = |&port: &BridgePortId| self.ports[port].runs;
                    on.iter().copied().filter(runs).collect()
                })
                .collect::<Vec<_>>(),
        );
        let per_vlan = self.per_vlan_parts(&ports, &lans);
        let identifiers =
            IdVec::from(self.bridges.values().map(|bridge| bridge.identifier).collect::<Vec<_>>());
        let outcome = spanning::span(&Plant {
            identifiers: &identifiers,
            regions: &self.region_of,
            bridge_of: &|port| self.ports[port].bridge,
            cost: &|port| self.ports[port].cost,
            port_identifier: &|port| (self.ports[port].priority, self.ports[port].number),
            ports: &ports,
            lan_of: &|port| self.ports[port].lan,
            lans: &lans,
        });
        for &(port, role, why) in &outcome.ports {
            self.common[port] = (role, why);
        }
        self.all.push(Tree {
            kind: TreeKind::Common,
            bridges: outcome.bridges,
            ports: FxHashMap::default(),
        });
        self.instances(fabric, &ports, &lans);
        self.vlan_trees(fabric, &ports, &lans, &per_vlan);
    }

    /// The trees of the instances of MST regions (IEEE 802.1Q clause 13.6).
    fn instances(
        &mut self,
        fabric: &Fabric,
        ports: &IdVec<BridgeId, Vec<BridgePortId>>,
        lans: &IdVec<LanId, SmallVec<[BridgePortId; 2]>>,
    ) {
        let mut members: BTreeMap<u32, Vec<BridgeId>> = BTreeMap::default();
        for (id, bridge) in self.bridges.iter() {
            if bridge.mode == TreeMode::Mstp && bridge.settings.is_some() {
                members.entry(self.region_of[id]).or_default().push(id);
            }
        }
        for (region, bridges) in members {
            let Some(settings) = self.bridges[bridges[0]].settings.map(|tree| fabric.tree(tree))
            else {
                continue;
            };
            let name = settings.region.as_ref().map(|name| name.value.clone()).unwrap_or_default();
            for instance in &settings.instances {
                let id = instance.id.value;
                let identifiers = self.identifiers(fabric, |own| {
                    let instance = own.instances.iter().find(|other| other.id.value == id)?;
                    instance.priority.map(|priority| priority.value)
                });
                let inside = |lan: LanId| {
                    let bridge = |port: BridgePortId| self.ports[port].bridge;
                    lans[lan].iter().all(|&port| self.region_of[bridge(port)] == region)
                };
                let mut own = IdVec::filled(&self.bridges, Vec::new());
                for &bridge in &bridges {
                    own[bridge].clone_from(&ports[bridge]);
                }
                let outcome = spanning::span(&Plant {
                    identifiers: &identifiers,
                    regions: &self.region_of,
                    bridge_of: &|port| self.ports[port].bridge,
                    cost: &|port| self.ports[port].cost,
                    port_identifier: &|port| (self.ports[port].priority, self.ports[port].number),
                    ports: &own,
                    lan_of: &|port| self.ports[port].lan.filter(|&lan| inside(lan)),
                    lans,
                });
                let mut roles = FxHashMap::default();
                for (port, role, why) in outcome.ports {
                    let edge = self.ports[port].lan.is_some_and(|lan| !inside(lan));
                    // Clause 13.12: at the edge of the region an instance follows the common tree,
                    // whose root port there is its master port.
                    let role = match (edge, self.common[port].0) {
                        (false, _) => (role, why),
                        (true, PortRole::Root) => (PortRole::Master, TreeReason::Common),
                        (true, common) => (common, TreeReason::Common),
                    };
                    roles.insert(port, role);
                }
                let kind = TreeKind::Instance { region: name.clone(), id };
                for &bridge in &bridges {
                    self.instance_vlans.insert((bridge, key(&kind)), instance.vlans.value.clone());
                }
                self.instance_sets.push(instance.vlans.value.clone());
                self.all.push(Tree { kind, bridges: outcome.bridges, ports: roles });
            }
        }
    }

    fn identifiers(
        &self,
        fabric: &Fabric,
        priority: impl Fn(&TreeSettings) -> Option<BridgePriority>,
    ) -> IdVec<BridgeId, BridgeIdentifier> {
        let identifier = |bridge: &Bridge| {
            let own = bridge.settings.and_then(|tree| priority(fabric.tree(tree)));
            BridgeIdentifier {
                priority: own.map_or(bridge.identifier.priority, BridgePriority::get),
                mac: bridge.identifier.mac,
            }
        };
        IdVec::from(self.bridges.values().map(identifier).collect::<Vec<_>>())
    }

    /// The bridges whose neighbours, near and far, all run one tree for each VLAN.
    fn per_vlan_parts(
        &self,
        ports: &IdVec<BridgeId, Vec<BridgePortId>>,
        lans: &IdVec<LanId, SmallVec<[BridgePortId; 2]>>,
    ) -> Vec<BridgeId> {
        let mut seen = IdVec::filled(&self.bridges, false);
        let mut found = Vec::new();
        for first in self.bridges.ids() {
            if seen[first] || self.bridges[first].mode != TreeMode::PerVlan {
                continue;
            }
            let (mut part, mut open, mut alike) = (Vec::new(), vec![first], true);
            while let Some(bridge) = open.pop() {
                if std::mem::replace(&mut seen[bridge], true) {
                    continue;
                }
                alike &= self.bridges[bridge].mode == TreeMode::PerVlan;
                part.push(bridge);
                for &port in &ports[bridge] {
                    let on = self.ports[port].lan.map(|lan| &lans[lan][..]).unwrap_or_default();
                    open.extend(on.iter().map(|&other| self.ports[other].bridge));
                }
            }
            if alike {
                found.extend(part);
            }
        }
        found.sort_unstable();
        found
    }

    /// A tree for each VLAN; VLANs on the same links with the same priorities share one.
    fn vlan_trees(
        &mut self,
        fabric: &Fabric,
        ports: &IdVec<BridgeId, Vec<BridgePortId>>,
        lans: &IdVec<LanId, SmallVec<[BridgePortId; 2]>>,
        bridges: &[BridgeId],
    ) {
        if bridges.is_empty() {
            return;
        }
        let settings = |bridge: BridgeId| {
            self.bridges[bridge].settings.map(|tree| fabric.tree(tree)).into_iter()
        };
        let of_ports = bridges
            .iter()
            .flat_map(|&bridge| ports[bridge].iter())
            .map(|&port| &self.ports[port].vlans);
        let of_priorities = bridges
            .iter()
            .flat_map(|&bridge| settings(bridge))
            .flat_map(|tree| tree.vlan_priorities.iter().map(|(vlans, _)| &vlans.value));
        let classes = forwarding::classes(of_ports.chain(of_priorities));
        for (vlan, class) in classes {
            let carries = |port: BridgePortId| self.ports[port].vlans.contains(vlan);
            let mut own = IdVec::filled(&self.bridges, Vec::new());
            for &bridge in bridges {
                own[bridge] = ports[bridge].iter().copied().filter(|&port| carries(port)).collect();
            }
            if own.values().all(Vec::is_empty) {
                continue;
            }
            let on: IdVec<LanId, SmallVec<[BridgePortId; 2]>> = IdVec::from(
                lans.values()
                    .map(|on| on.iter().copied().filter(|&port| carries(port)).collect())
                    .collect::<Vec<_>>(),
            );
            let identifiers = self.identifiers(fabric, |tree| {
                let holds = tree.vlan_priorities.iter().find(|(vlans, _)| vlans.contains(vlan))?;
                Some(holds.1.value)
            });
            let outcome = spanning::span(&Plant {
                identifiers: &identifiers,
                regions: &self.region_of,
                bridge_of: &|port| self.ports[port].bridge,
                cost: &|port| self.ports[port].cost,
                port_identifier: &|port| (self.ports[port].priority, self.ports[port].number),
                ports: &own,
                lan_of: &|port| self.ports[port].lan,
                lans: &on,
            });
            let roles =
                outcome.ports.into_iter().map(|(port, role, why)| (port, (role, why))).collect();
            self.all.push(Tree {
                kind: TreeKind::Vlans(class),
                bridges: outcome.bridges,
                ports: roles,
            });
        }
    }
}
