//! Where switches and hosts stand: in tiers, what belongs together side by side, what is alike and many
//! folded into one.

use std::collections::BTreeMap;

use felting::Fabric;
use felting::fabric::{CableId, DeviceId, PairId};
use felting::id::Id as _;

use super::part::Focus;
use super::scene::Area;
use super::tiers::Cabling;

/// Between two boxes up to this many cables are drawn one by one.
pub(crate) const CABLES_SHOWN: usize = 4;
pub(crate) const SWITCH_HEIGHT: f64 = 46.0;
pub(crate) const HOST_HEIGHT: f64 = 36.0;
pub(crate) const PORT_SIZE: f64 = 9.0;
pub(crate) const NAME_SIZE: f64 = 12.0;

/// What a box stands for.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Kind {
    Switch,
    /// A leaf that leads out.
    Border,
    /// A router outside.
    Router,
    Host,
    /// Many that are alike: what they are, in a few words.
    Fold(String),
}

/// A box.
#[derive(Clone, Debug)]
pub(crate) struct Node {
    pub(crate) kind: Kind,
    pub(crate) name: String,
    /// All that it stands for.
    pub(crate) devices: Vec<DeviceId>,
    pub(crate) area: Area,
    /// What a port takes on its upper or lower edge, with its name.
    pub(crate) slot: f64,
    pub(super) unit: usize,
}

/// Boxes that stand side by side: a pair, or one alone.
#[derive(Clone, Debug)]
pub(crate) struct Unit {
    pub(crate) nodes: Vec<usize>,
    pub(crate) pair: Option<PairId>,
    pub(super) row: usize,
    pub(super) center: f64,
}

/// The cables between two boxes; the first is the upper or the left one.
#[derive(Clone, Debug)]
pub(crate) struct Wire {
    pub(crate) ends: [usize; 2],
    pub(crate) cables: Vec<CableId>,
}

/// Where everything stands.
#[derive(Clone, Debug, Default)]
pub(crate) struct Plan {
    pub(crate) nodes: Vec<Node>,
    pub(crate) units: Vec<Unit>,
    /// From the top; each row from the left.
    pub(crate) rows: Vec<Vec<usize>>,
    pub(crate) wires: Vec<Wire>,
    pub(super) node_of: Vec<Option<usize>>,
}

impl Plan {
    /// Lays out a fabric; what is to be kept is not folded, and if something is, rows below all of it are left
    /// out, unless a part of the fabric is asked for.
    pub(crate) fn of(fabric: &Fabric, focus: &Focus) -> Self {
        let cabling = Cabling::of(fabric);
        let mut plan = Self { node_of: vec![None; fabric.devices().len()], ..Self::default() };
        let folded = plan.switches(fabric, &cabling, focus);
        plan.hosts(fabric, &cabling, focus, &folded);
        if !focus.is_part() {
            plan.crop(&focus.kept);
        }
        plan.wires(fabric, focus);
        plan.rows.retain(|row| !row.is_empty());
        for (at, row) in plan.rows.iter().enumerate() {
            for &unit in row {
                plan.units[unit].row = at;
            }
        }
        plan.order();
        plan.place(fabric);
        plan
    }

    /// The box of a device.
    pub(crate) fn node_of(&self, device: DeviceId) -> Option<usize> {
        self.node_of[device.index()]
    }

    pub(crate) fn row_of(&self, node: usize) -> usize {
        self.units[self.nodes[node].unit].row
    }

    pub(super) fn unit(&mut self, row: usize, pair: Option<PairId>) -> usize {
        let at = self.units.len();
        self.units.push(Unit { nodes: Vec::new(), pair, row, center: 0.0 });
        if self.rows.len() <= row {
            self.rows.resize(row + 1, Vec::new());
        }
        self.rows[row].push(at);
        at
    }

    pub(super) fn node(&mut self, unit: usize, kind: Kind, name: String, devices: Vec<DeviceId>) {
        let at = self.nodes.len();
        for device in &devices {
            self.node_of[device.index()] = Some(at);
        }
        self.units[unit].nodes.push(at);
        self.nodes.push(Node { kind, name, devices, area: Area::default(), slot: 0.0, unit });
    }

    pub(super) fn wires(&mut self, fabric: &Fabric, focus: &Focus) {
        let mut between: BTreeMap<[usize; 2], Vec<CableId>> = BTreeMap::new();
        for (id, cable) in fabric.cables() {
            if !focus.shows_cable(fabric, cable) {
                continue;
            }
            let nodes = cable.ends.map(|end| self.node_of[fabric.port(end.value).device.index()]);
            let [Some(a), Some(b)] = nodes else { continue };
            if a != b {
                between.entry([a.min(b), a.max(b)]).or_default().push(id);
            }
        }
        self.wires = between.into_iter().map(|(ends, cables)| Wire { ends, cables }).collect();
    }

    /// Whether the two of a wire stand next to each other.
    pub(crate) fn side_by_side(&self, wire: &Wire) -> bool {
        let [a, b] = wire.ends.map(|node| (self.nodes[node].unit, node));
        if a.0 == b.0 {
            return true;
        }
        let row = &self.rows[self.units[a.0].row];
        let place = |unit: usize| row.iter().position(|&other| other == unit);
        let (Some(x), Some(y)) = (place(a.0), place(b.0)) else { return false };
        // The last box of the left one, and the first of the right one.
        let (left, right) = if x < y { (a, b) } else { (b, a) };
        x.abs_diff(y) == 1
            && self.units[left.0].nodes.last() == Some(&left.1)
            && self.units[right.0].nodes.first() == Some(&right.1)
    }

    /// How many lines are drawn for a wire.
    pub(crate) fn lines(&self, wire: &Wire) -> usize {
        let folded = wire.ends.iter().any(|&node| matches!(self.nodes[node].kind, Kind::Fold(_)));
        if folded || wire.cables.len() > CABLES_SHOWN { 1 } else { wire.cables.len() }
    }

    /// How far all boxes reach.
    pub(crate) fn size(&self) -> (f64, f64) {
        let right = self.nodes.iter().map(|node| node.area.right()).fold(0.0, f64::max);
        let bottom = self.nodes.iter().map(|node| node.area.bottom()).fold(0.0, f64::max);
        (right, bottom)
    }
}
