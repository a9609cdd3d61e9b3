//! What the trees leave open: loops, and VLANs that the forwarding links don't carry.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::bridge::{BridgeId, BridgePortId, LanId};
use super::trees::{Loop, Trees, VlanCut};
use super::vlan_classes::classes;
use crate::id::IdVec;
use crate::value::{VlanId, VlanSet};

/// Sets of bridges that are joined.
struct Joined(IdVec<BridgeId, BridgeId>);

impl Joined {
    fn new(trees: &Trees) -> Self {
        Self(IdVec::of(trees.bridges.ids().collect::<Vec<_>>()))
    }

    fn find(&mut self, bridge: BridgeId) -> BridgeId {
        let mut at = bridge;
        while self.0[at] != at {
            self.0[at] = self.0[self.0[at]];
            at = self.0[at];
        }
        at
    }

    /// Joins two; false if they were joined already.
    fn join(&mut self, a: BridgeId, b: BridgeId) -> bool {
        let (a, b) = (self.find(a), self.find(b));
        let (low, high) = (a.min(b), a.max(b));
        self.0[high] = low;
        a != b
    }
}

/// The ports of a LAN that carry a VLAN and forward it.
fn open_ports(trees: &Trees, lan: LanId, vlan: Option<VlanId>) -> SmallVec<[BridgePortId; 2]> {
    let open = |&port: &BridgePortId| match vlan {
        Some(vlan) => trees.ports[port].vlans.contains(vlan) && trees.role(port, vlan).forwards(),
        None => trees.forwards_any(port),
    };
    trees.lans[lan].iter().copied().filter(open).collect()
}

/// The loops that frames find. Linear in links where there is none; else so for each class of VLANs.
pub(super) fn loops(trees: &Trees) -> Vec<Loop> {
    let mut joined = Joined::new(trees);
    let suspicious = trees.lans.ids().any(|lan| {
        let ports = open_ports(trees, lan, None);
        ports
            .windows(2)
            .any(|two| !joined.join(trees.ports[two[0]].bridge, trees.ports[two[1]].bridge))
    });
    if !suspicious {
        return Vec::new();
    }
    let mut found: Vec<(Vec<BridgePortId>, Vec<VlanId>)> = Vec::new();
    for (vlan, class) in classes(trees.class_sets()) {
        let mut joined = Joined::new(trees);
        let mut links: FxHashMap<BridgeId, Vec<(BridgePortId, BridgePortId)>> =
            FxHashMap::default();
        for lan in trees.lans.ids() {
            for two in open_ports(trees, lan, Some(vlan)).windows(2) {
                let (near, far) = (two[0], two[1]);
                let (a, b) = (trees.ports[near].bridge, trees.ports[far].bridge);
                if !joined.join(a, b) {
                    let mut ports = way(&links, trees, b, a);
                    ports.extend([near, far]);
                    match found.iter_mut().find(|(known, _)| *known == ports) {
                        Some((_, vlans)) => vlans.extend(class.iter()),
                        None => found.push((ports, class.iter().collect())),
                    }
                }
                links.entry(a).or_default().push((near, far));
                links.entry(b).or_default().push((far, near));
            }
        }
    }
    let whole =
        |(ports, vlans): (_, Vec<VlanId>)| Loop { ports, vlans: vlans.into_iter().collect() };
    found.into_iter().map(whole).collect()
}

/// The ports on the way from one bridge to another over links that are open.
fn way(
    links: &FxHashMap<BridgeId, Vec<(BridgePortId, BridgePortId)>>,
    trees: &Trees,
    from: BridgeId,
    to: BridgeId,
) -> Vec<BridgePortId> {
    let mut came: FxHashMap<BridgeId, (BridgePortId, BridgePortId)> = FxHashMap::default();
    let mut open = std::collections::VecDeque::from([from]);
    while let Some(bridge) = open.pop_front() {
        if bridge == to {
            break;
        }
        for &(near, far) in links.get(&bridge).map_or(&[][..], |links| links) {
            let next = trees.ports[far].bridge;
            if next != from && !came.contains_key(&next) {
                came.insert(next, (near, far));
                open.push_back(next);
            }
        }
    }
    let (mut ports, mut at) = (Vec::new(), to);
    while at != from {
        let Some(&(near, far)) = came.get(&at) else { break };
        ports.extend([far, near]);
        at = trees.ports[near].bridge;
    }
    ports.reverse();
    ports
}

/// The VLANs that are cut off where a link discards, because the way around does not carry them.
/// Linear in links for each class of VLANs on links that discard.
pub(super) fn cuts(trees: &Trees) -> Vec<VlanCut> {
    // A LAN is closed where one of its ports discards; the VLANs that cross it are in question.
    let closed: Vec<(LanId, BridgePortId)> = trees
        .lans
        .iter()
        .filter(|(_, ports)| ports.len() > 1)
        .filter_map(|(lan, ports)| {
            ports.iter().copied().find(|&port| trees.discards_any(port)).map(|port| (lan, port))
        })
        .collect();
    if closed.is_empty() {
        return Vec::new();
    }
    let mut found: Vec<(BridgePortId, BridgePortId, Vec<VlanId>)> = Vec::new();
    let at_closed = closed.iter().flat_map(|&(lan, _)| trees.lans[lan].iter());
    let wanted: VlanSet = at_closed.fold(VlanSet::default(), |all, &port| match all.is_empty() {
        true => trees.ports[port].vlans.clone(),
        false if all == trees.ports[port].vlans => all,
        false => all.union(&trees.ports[port].vlans),
    });
    for (vlan, class) in classes(trees.class_sets()) {
        if !wanted.contains(vlan) {
            continue;
        }
        let mut joined = Joined::new(trees);
        for lan in trees.lans.ids() {
            for two in open_ports(trees, lan, Some(vlan)).windows(2) {
                joined.join(trees.ports[two[0]].bridge, trees.ports[two[1]].bridge);
            }
        }
        for &(lan, port) in &closed {
            let ports = &trees.lans[lan];
            if !ports.iter().all(|&port| trees.ports[port].vlans.contains(vlan)) {
                continue;
            }
            let parts: SmallVec<[BridgeId; 2]> =
                ports.iter().map(|&port| joined.find(trees.ports[port].bridge)).collect();
            if parts.iter().all(|part| *part == parts[0]) {
                continue;
            }
            let lacking = lacking(trees, vlan, &mut joined, parts[0]).unwrap_or(port);
            match found.iter_mut().find(|(at, at_lacking, _)| (*at, *at_lacking) == (port, lacking))
            {
                Some((.., vlans)) => vlans.extend(class.iter()),
                None => found.push((port, lacking, class.iter().collect())),
            }
        }
    }
    let cut = |(discarding, lacking, vlans): (_, _, Vec<VlanId>)| VlanCut {
        vlans: vlans.into_iter().collect(),
        discarding,
        lacking,
    };
    found.into_iter().map(cut).collect()
}

/// A port that forwards at the edge of a part but does not carry the VLAN, or whose far end does not.
fn lacking(
    trees: &Trees,
    vlan: VlanId,
    joined: &mut Joined,
    part: BridgeId,
) -> Option<BridgePortId> {
    for (_, ports) in trees.lans.iter().filter(|(_, ports)| ports.len() > 1) {
        let inside =
            ports.iter().filter(|&&port| joined.find(trees.ports[port].bridge) == part).count();
        let forwards = ports.iter().all(|&port| trees.role(port, vlan).forwards());
        if inside == 0 || inside == ports.len() || !forwards {
            continue;
        }
        let lacks = ports.iter().copied().find(|&port| !trees.ports[port].vlans.contains(vlan));
        if lacks.is_some() {
            return lacks;
        }
    }
    None
}
