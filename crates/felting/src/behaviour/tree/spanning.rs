//! The spanning tree that a set of bridges settles on.
//!
//! Source: IEEE 802.1Q clauses 13.9 to 13.13 (priority vectors and their comparison). What is told
//! is the tree after everything has settled; it does not depend on the order of events.
//!
//! Every bridge belongs to a region; one that runs no MSTP is a region of its own. Between regions
//! the external path cost counts, inside one the internal cost. Vectors only grow on their way from
//! the root, so a bridge is settled once, in the order of its vector: n log n in ports.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use smallvec::SmallVec;

use super::bridge::{BridgeId, BridgeIdentifier, BridgePortId, LanId};
use super::role::{PortRole, TreeCase, TreeReason};
use crate::id::IdVec;

/// The part of a plant that one tree spans.
pub(super) struct Plant<'a> {
    /// The identifier of each bridge in this tree.
    pub(super) identifiers: &'a IdVec<BridgeId, BridgeIdentifier>,
    /// The region of each bridge.
    pub(super) regions: &'a IdVec<BridgeId, u32>,
    /// Whether a bridge reads MST BPDUs to their end.
    pub(super) reads_mst: &'a dyn Fn(BridgeId) -> bool,
    pub(super) bridge_of: &'a dyn Fn(BridgePortId) -> BridgeId,
    pub(super) cost: &'a dyn Fn(BridgePortId) -> u32,
    /// A port's identifier: priority, then number (IEEE 802.1Q clause 13.27.46).
    pub(super) port_identifier: &'a dyn Fn(BridgePortId) -> (u32, u16),
    /// The ports of each bridge that take part.
    pub(super) ports: &'a IdVec<BridgeId, Vec<BridgePortId>>,
    /// The LAN of each port that has one, as far as it belongs to this tree.
    pub(super) lan_of: &'a dyn Fn(BridgePortId) -> Option<LanId>,
    /// The ports on each LAN that take part.
    pub(super) lans: &'a IdVec<LanId, SmallVec<[BridgePortId; 2]>>,
}

/// What a bridge says of its way to the root: external cost, regional root, internal cost.
type Vector = (u32, BridgeIdentifier, u32);

/// What a port would hear: the vector that its bridge would get, and the tie-breaks of IEEE 802.1Q
/// clause 13.10: the sender's regional root, its own identifier, its port, the own port.
type Heard = (Vector, BridgeIdentifier, BridgeIdentifier, (u32, u16), (u32, u16));

pub(super) struct Outcome {
    pub(super) bridges: IdVec<BridgeId, Option<TreeCase>>,
    pub(super) ports: Vec<(BridgePortId, PortRole, TreeReason)>,
}

/// The tree of a plant. Bridges without a port that takes part are left out.
pub(super) fn span(plant: &Plant<'_>) -> Outcome {
    let roots = roots(plant);
    let mut vectors: IdVec<BridgeId, Option<Vector>> = IdVec::filled(plant.identifiers, None);
    let mut settled = IdVec::filled(plant.identifiers, false);
    let mut designated: IdVec<LanId, Option<BridgePortId>> = IdVec::filled(plant.lans, None);
    let mut open = BinaryHeap::new();
    for bridge in plant.identifiers.ids() {
        if roots[bridge] == Some(bridge) {
            let vector = (0, plant.identifiers[bridge], 0);
            vectors[bridge] = Some(vector);
            open.push(Reverse((vector, plant.identifiers[bridge], bridge)));
        }
    }
    while let Some(Reverse((vector, _, bridge))) = open.pop() {
        if std::mem::replace(&mut settled[bridge], true) {
            continue;
        }
        // On each LAN the bridge that is settled first has the best vector, so it is the
        // designated one, by its best port (clause 13.12).
        for &port in &plant.ports[bridge] {
            let Some(lan) = (plant.lan_of)(port) else { continue };
            match designated[lan] {
                None => designated[lan] = Some(port),
                Some(first)
                    if (plant.bridge_of)(first) == bridge
                        && (plant.port_identifier)(port) < (plant.port_identifier)(first) =>
                {
                    designated[lan] = Some(port);
                }
                Some(_) => {}
            }
        }
        for &port in &plant.ports[bridge] {
            let Some(lan) = (plant.lan_of)(port) else { continue };
            if designated[lan] != Some(port) {
                continue;
            }
            for &other in &plant.lans[lan] {
                let receiver = (plant.bridge_of)(other);
                if settled[receiver] {
                    continue;
                }
                let heard = received(plant, vector, bridge, receiver, other);
                if vectors[receiver].is_none_or(|known| heard < known) {
                    vectors[receiver] = Some(heard);
                    open.push(Reverse((heard, plant.identifiers[receiver], receiver)));
                }
            }
        }
    }
    let mut outcome =
        Outcome { bridges: IdVec::filled(plant.identifiers, None), ports: Vec::new() };
    for bridge in plant.identifiers.ids() {
        let (Some(root), Some(vector)) = (roots[bridge], vectors[bridge]) else { continue };
        let (root_port, reason) = root_port(plant, bridge, &vectors, &designated);
        outcome.bridges[bridge] =
            Some(TreeCase { root, cost: vector.0, internal_cost: vector.2, root_port });
        for &port in &plant.ports[bridge] {
            let (role, why) = match (plant.lan_of)(port).map(|lan| designated[lan]) {
                None | Some(None) => (PortRole::Designated, TreeReason::NobodyElse),
                Some(_) if root_port == Some(port) => (PortRole::Root, reason),
                Some(Some(first)) if first == port => {
                    (PortRole::Designated, designated_reason(plant, bridge, root, port, &vectors))
                }
                Some(Some(first)) => {
                    let winner = (plant.bridge_of)(first);
                    let role =
                        if winner == bridge { PortRole::Backup } else { PortRole::Alternate };
                    (role, beaten(&vectors, winner, first, bridge))
                }
            };
            outcome.ports.push((port, role, why));
        }
    }
    outcome
}

/// The best bridge among those that hang together, for every bridge that has a part in it.
fn roots(plant: &Plant<'_>) -> IdVec<BridgeId, Option<BridgeId>> {
    let mut roots: IdVec<BridgeId, Option<BridgeId>> = IdVec::filled(plant.identifiers, None);
    let mut order: Vec<BridgeId> = plant.identifiers.ids().collect();
    order.sort_unstable_by_key(|&bridge| (plant.identifiers[bridge], bridge));
    let mut open = Vec::new();
    let mut passed = IdVec::filled(plant.lans, false);
    for first in order {
        if roots[first].is_some() || plant.ports[first].is_empty() {
            continue;
        }
        roots[first] = Some(first);
        open.push(first);
        while let Some(bridge) = open.pop() {
            for &port in &plant.ports[bridge] {
                let Some(lan) = (plant.lan_of)(port) else { continue };
                if std::mem::replace(&mut passed[lan], true) {
                    continue;
                }
                for &other in &plant.lans[lan] {
                    let neighbour = (plant.bridge_of)(other);
                    if roots[neighbour].is_none() {
                        roots[neighbour] = Some(first);
                        open.push(neighbour);
                    }
                }
            }
        }
    }
    roots
}

/// The vector of a bridge that hears a sender by a port (IEEE 802.1Q clause 13.11).
fn received(
    plant: &Plant<'_>,
    (external, regional, internal): Vector,
    sender: BridgeId,
    receiver: BridgeId,
    port: BridgePortId,
) -> Vector {
    let cost = (plant.cost)(port);
    if plant.regions[sender] == plant.regions[receiver] {
        (external, regional, internal.saturating_add(cost))
    } else {
        (external.saturating_add(cost), plant.identifiers[receiver], 0)
    }
}

/// The port by which a bridge hears best of the root, and what decided between it and the next.
fn root_port(
    plant: &Plant<'_>,
    bridge: BridgeId,
    vectors: &IdVec<BridgeId, Option<Vector>>,
    designated: &IdVec<LanId, Option<BridgePortId>>,
) -> (Option<BridgePortId>, TreeReason) {
    let mut best: Option<(Heard, BridgePortId)> = None;
    let mut second: Option<Heard> = None;
    for &port in &plant.ports[bridge] {
        let Some(sender) = (plant.lan_of)(port).and_then(|lan| designated[lan]) else { continue };
        let from = (plant.bridge_of)(sender);
        let Some(vector) = vectors[from].filter(|_| from != bridge) else { continue };
        let heard: Heard = (
            received(plant, vector, from, bridge, port),
            vector.1,
            // Clause 14.4: where an RST BPDU has the bridge's identifier an MST BPDU has that of the
            // regional root, so a bridge that reads no further cannot tell the bridges of a region
            // apart.
            if (plant.reads_mst)(bridge) { plant.identifiers[from] } else { vector.1 },
            (plant.port_identifier)(sender),
            (plant.port_identifier)(port),
        );
        match best {
            Some((known, _)) if known < heard => {
                second = Some(second.map_or(heard, |second| second.min(heard)));
            }
            _ => second = best.replace((heard, port)).map(|(known, _)| known),
        }
    }
    // The root is designated on all its LANs, so it hears nobody and has no root port.
    let Some((heard, port)) = best else {
        return (None, TreeReason::NobodyElse);
    };
    let reason = match second {
        None => TreeReason::OnlyWay,
        Some(second) if costs(heard.0, second.0).is_some() => {
            let (own, other) = costs(heard.0, second.0).unwrap_or_default();
            TreeReason::Cost { own, other }
        }
        Some(second) if (second.1, second.2) != (heard.1, heard.2) => TreeReason::Bridge,
        Some(second) if second.3 != heard.3 => TreeReason::Port,
        Some(_) => TreeReason::OwnPort,
    };
    (Some(port), reason)
}

/// Why a port is the designated one of its LAN.
fn designated_reason(
    plant: &Plant<'_>,
    bridge: BridgeId,
    root: BridgeId,
    port: BridgePortId,
    vectors: &IdVec<BridgeId, Option<Vector>>,
) -> TreeReason {
    if root == bridge {
        return TreeReason::IsRoot;
    }
    let lan = (plant.lan_of)(port);
    let others = lan.into_iter().flat_map(|lan| plant.lans[lan].iter().copied());
    let next = others
        .filter(|&other| other != port)
        .map(|other| ((plant.bridge_of)(other), other))
        .filter_map(|(other, at)| {
            let at = (plant.port_identifier)(at);
            Some((vectors[other]?, plant.identifiers[other], at, other))
        })
        .min();
    let Some((vector, identifier, ..)) = next else { return TreeReason::NobodyElse };
    let own = vectors[bridge].unwrap_or(vector);
    if let Some((own, other)) = costs(own, vector) {
        TreeReason::Cost { own, other }
    } else if identifier != plant.identifiers[bridge] {
        TreeReason::Bridge
    } else {
        TreeReason::Port
    }
}

/// By what another port of the LAN is better than this one.
fn beaten(
    vectors: &IdVec<BridgeId, Option<Vector>>,
    winner: BridgeId,
    by: BridgePortId,
    loser: BridgeId,
) -> TreeReason {
    if winner == loser {
        return TreeReason::OwnOtherPort(by);
    }
    let (Some(own), Some(best)) = (vectors[loser], vectors[winner]) else {
        return TreeReason::NobodyElse;
    };
    match costs(own, best) {
        Some((own, other)) => TreeReason::Beaten { by, own, other, by_bridge: false },
        None => {
            let cost = if own.0 > 0 { own.0 } else { own.2 };
            TreeReason::Beaten { by, own: cost, other: cost, by_bridge: true }
        }
    }
}

/// The costs that decide between two vectors, as far as costs do: the external one comes first, then the
/// regional root, then, within one region, the internal one (IEEE 802.1Q clause 13.10).
fn costs(own: Vector, other: Vector) -> Option<(u32, u32)> {
    if own.0 != other.0 {
        return Some((own.0, other.0));
    }
    (own.1 == other.1 && own.2 != other.2).then_some((own.2, other.2))
}
