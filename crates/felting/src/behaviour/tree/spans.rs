//! All trees of the bridges: the common one, those of the instances of MST regions, and those of
//! single VLANs.

use std::collections::BTreeMap;
use std::sync::Arc;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::bridge::{Bridge, BridgeId, BridgeIdentifier, BridgePortId, LanId};
use super::role::{PortRole, Tree, TreeKind, TreeReason};
use super::spanning::{self, Plant};
use super::trees::{Trees, key};
use super::vlan_classes::classes;
use crate::fabric::{Fabric, TreeSettings};
use crate::id::{IdVec, Pages};
use crate::value::{BridgePriority, TreeMode};

impl Trees {
    /// Spans all trees.
    pub(super) fn span(&mut self, fabric: &Fabric) {
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
        self.taking_part = Pages::of(ports.values().map(Vec::len));
        let lans: IdVec<LanId, SmallVec<[BridgePortId; 2]>> = IdVec::of(
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
            IdVec::of(self.bridges.values().map(|bridge| bridge.identifier).collect::<Vec<_>>());
        let outcome = spanning::span(&Plant {
            identifiers: &identifiers,
            regions: &self.region_of,
            reads_mst: &|bridge| self.bridges[bridge].mode == TreeMode::Mstp,
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
        Arc::make_mut(&mut self.all).push(Tree {
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
            let Some(settings) =
                self.bridges[bridges[0]].settings.map(|tree| fabric.tree_setting(tree))
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
                    reads_mst: &|_| true,
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
                    Arc::make_mut(&mut self.instance_vlans)
                        .insert((bridge, key(&kind)), instance.vlans.value.clone());
                }
                Arc::make_mut(&mut self.instance_sets).push(instance.vlans.value.clone());
                Arc::make_mut(&mut self.all).push(Tree {
                    kind,
                    bridges: outcome.bridges,
                    ports: roles,
                });
            }
        }
    }

    fn identifiers(
        &self,
        fabric: &Fabric,
        priority: impl Fn(&TreeSettings) -> Option<BridgePriority>,
    ) -> IdVec<BridgeId, BridgeIdentifier> {
        let identifier = |bridge: &Bridge| {
            let own = bridge.settings.and_then(|tree| priority(fabric.tree_setting(tree)));
            BridgeIdentifier {
                priority: own.map_or(bridge.identifier.priority, BridgePriority::get),
                mac: bridge.identifier.mac,
            }
        };
        IdVec::of(self.bridges.values().map(identifier).collect::<Vec<_>>())
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
            self.bridges[bridge].settings.map(|tree| fabric.tree_setting(tree)).into_iter()
        };
        let of_ports = bridges
            .iter()
            .flat_map(|&bridge| ports[bridge].iter())
            .map(|&port| &self.ports[port].vlans);
        let of_priorities = bridges
            .iter()
            .flat_map(|&bridge| settings(bridge))
            .flat_map(|tree| tree.vlan_priorities.iter().map(|(vlans, _)| &vlans.value));
        for (vlan, class) in classes(of_ports.chain(of_priorities)) {
            let carries = |port: BridgePortId| self.ports[port].vlans.contains(vlan);
            let mut own = IdVec::filled(&self.bridges, Vec::new());
            for &bridge in bridges {
                own[bridge] = ports[bridge].iter().copied().filter(|&port| carries(port)).collect();
            }
            if own.values().all(Vec::is_empty) {
                continue;
            }
            let on: IdVec<LanId, SmallVec<[BridgePortId; 2]>> = IdVec::of(
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
                reads_mst: &|_| false,
                bridge_of: &|port| self.ports[port].bridge,
                cost: &|port| self.ports[port].cost,
                port_identifier: &|port| (self.ports[port].priority, self.ports[port].number),
                ports: &own,
                lan_of: &|port| self.ports[port].lan,
                lans: &on,
            });
            let roles: FxHashMap<_, _> =
                outcome.ports.into_iter().map(|(port, role, why)| (port, (role, why))).collect();
            // VLANs whose trees came out the same are told together.
            let same = Arc::make_mut(&mut self.all).iter_mut().find(|known| {
                matches!(known.kind, TreeKind::Vlans(_))
                    && known.ports == roles
                    && known.bridges.values().eq(outcome.bridges.values())
            });
            if let Some(Tree { kind: TreeKind::Vlans(known), .. }) = same {
                *known = known.union(&class);
                continue;
            }
            Arc::make_mut(&mut self.all).push(Tree {
                kind: TreeKind::Vlans(class),
                bridges: outcome.bridges,
                ports: roles,
            });
        }
    }
}
