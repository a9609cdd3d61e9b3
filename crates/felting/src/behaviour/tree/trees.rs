//! All trees of a fabric, and what they answer.

use std::sync::Arc;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::bridge::{Bridge, BridgeId, BridgePort, BridgePortId, Carrier, LanId};
use super::role::{PortRole, Tree, TreeKind, TreeReason};
use crate::fabric::{DeviceId, Fabric, LagId, PortId};
use crate::id::{IdVec, Pages};
use crate::value::{TreeMode, VlanId, VlanSet};

/// All trees of a fabric, with the bridges and ports that they are of.
#[derive(Clone, Debug)]
pub struct Trees {
    pub(super) of_device: Arc<IdVec<DeviceId, Option<BridgeId>>>,
    /// The bridge port that each port is, or is part of.
    pub(super) at: Pages<PortId, Option<BridgePortId>>,
    pub(crate) bridges: Arc<IdVec<BridgeId, Bridge>>,
    pub(crate) ports: Pages<BridgePortId, BridgePort>,
    pub(crate) lans: Arc<IdVec<LanId, SmallVec<[BridgePortId; 2]>>>,
    /// The ports of each bridge that share a LAN with others.
    pub(super) joining: Arc<IdVec<BridgeId, SmallVec<[BridgePortId; 2]>>>,
    /// How many ports of each bridge have a link and take part in the tree.
    pub(super) taking_part: Pages<BridgeId, usize>,
    /// The common tree, for every port.
    pub(super) common: Pages<BridgePortId, (PortRole, TreeReason)>,
    /// The common tree first.
    pub(super) all: Arc<Vec<Tree>>,
    pub(super) loops: Arc<Vec<Loop>>,
    pub(super) cuts: Arc<Vec<VlanCut>>,
    pub(super) region_of: Arc<IdVec<BridgeId, u32>>,
    /// The VLANs of each instance, as a bridge of its region has them.
    pub(super) instance_vlans: Arc<FxHashMap<(BridgeId, u32), VlanSet>>,
    pub(super) instance_sets: Arc<Vec<VlanSet>>,
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
    pub fn ports(&self) -> impl Iterator<Item = (BridgePortId, &BridgePort)> {
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
    pub fn cuts(&self) -> &[VlanCut] {
        &self.cuts
    }

    /// Whether two bridges run MSTP in one region.
    pub fn same_region(&self, a: BridgeId, b: BridgeId) -> bool {
        self.region_of[a] == self.region_of[b]
    }

    pub(super) fn instance_holds(&self, tree: &Tree, port: BridgePortId, vlan: VlanId) -> bool {
        self.instance_vlans
            .get(&(self.ports[port].bridge, key(&tree.kind)))
            .is_some_and(|vlans| vlans.contains(vlan))
    }

    pub(super) fn forwards_any(&self, port: BridgePortId) -> bool {
        self.roles(port).any(PortRole::forwards)
    }

    pub(super) fn discards_any(&self, port: BridgePortId) -> bool {
        self.roles(port).any(PortRole::discards)
    }

    pub(super) fn roles(&self, port: BridgePortId) -> impl Iterator<Item = PortRole> + '_ {
        let others = self.all.iter().skip(1).filter_map(move |tree| Some(tree.port(port)?.0));
        std::iter::once(self.common[port].0).chain(others)
    }

    /// All sets of VLANs that tell VLANs apart here.
    pub(super) fn class_sets(&self) -> impl Iterator<Item = &VlanSet> {
        let of_ports = self.ports.values().map(|port| &port.vlans);
        let of_trees = self.all.iter().filter_map(|tree| match &tree.kind {
            TreeKind::Vlans(vlans) => Some(vlans),
            _ => None,
        });
        of_ports.chain(of_trees).chain(self.instance_sets.iter())
    }
}

/// Tells instances apart in a map.
pub(super) fn key(kind: &TreeKind) -> u32 {
    match kind {
        TreeKind::Instance { id, .. } => id.get(),
        _ => 0,
    }
}

/// Bridges that frames of some VLANs go round for ever.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Loop {
    /// The VLANs.
    pub vlans: VlanSet,
    /// The ports on the way round, two for each link.
    pub ports: Vec<BridgePortId>,
}

/// A VLAN that is cut in two where a link discards.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct VlanCut {
    /// The VLANs.
    pub vlans: VlanSet,
    /// A port that discards and would join the two parts.
    pub discarding: BridgePortId,
    /// A port that forwards on the way around, but does not carry the VLANs.
    pub lacking: BridgePortId,
}
