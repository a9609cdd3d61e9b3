//! Where switches and hosts stand: in tiers, what belongs together side by side, what is alike and many
//! folded into one.

use std::collections::{BTreeMap, BTreeSet};

use felting::Fabric;
use felting::fabric::{CableId, DeviceId, DeviceKind, PairId};
use felting::id::{Id as _, IdVec};
use felting::value::Role;

use super::measure::width;
use super::scene::Area;

/// Hosts up to this many are all drawn.
const HOSTS_SHOWN: usize = 24;
/// Of switches that are alike, a tier shows all of up to this many.
const SWITCHES_SHOWN: usize = 10;
/// Of pods that are alike, as many are shown.
const PODS_SHOWN: usize = 1;
/// Between two boxes up to this many cables are drawn one by one.
pub(crate) const CABLES_SHOWN: usize = 4;

pub(crate) const SWITCH_HEIGHT: f64 = 46.0;
pub(crate) const HOST_HEIGHT: f64 = 36.0;
pub(crate) const PORT_SIZE: f64 = 9.0;
/// Between the two of a pair, whose peer link has its port names there.
const PAIR_GAP: f64 = 38.0;
const UNIT_GAP: f64 = 16.0;
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
    unit: usize,
}

/// Boxes that stand side by side: a pair, or one alone.
#[derive(Clone, Debug)]
pub(crate) struct Unit {
    pub(crate) nodes: Vec<usize>,
    pub(crate) pair: Option<PairId>,
    row: usize,
    center: f64,
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
    node_of: Vec<Option<usize>>,
}

/// The cables of a fabric, by device.
struct Cabling {
    /// The others, with how many cables.
    beside: IdVec<DeviceId, BTreeMap<DeviceId, usize>>,
    tier: IdVec<DeviceId, usize>,
}

impl Plan {
    /// Lays out a fabric; what is to be kept is not folded, and if something is, rows below all of it are left
    /// out.
    pub(crate) fn of(fabric: &Fabric, keep: &BTreeSet<DeviceId>) -> Self {
        let cabling = Cabling::of(fabric);
        let mut plan = Self { node_of: vec![None; fabric.devices().len()], ..Self::default() };
        let folded = plan.switches(fabric, &cabling, keep);
        plan.hosts(fabric, &cabling, keep, &folded);
        plan.crop(keep);
        plan.wires(fabric);
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

    /// Leaves out the rows below the lowest that has something that is kept.
    fn crop(&mut self, keep: &BTreeSet<DeviceId>) {
        let kept = |unit: &usize| {
            let mut nodes = self.units[*unit].nodes.iter();
            nodes.any(|&node| self.nodes[node].devices.iter().any(|device| keep.contains(device)))
        };
        let Some(last) = self.rows.iter().rposition(|row| row.iter().any(kept)) else { return };
        let below = self.rows.split_off(last + 1);
        for node in below.iter().flatten().flat_map(|&unit| &self.units[unit].nodes) {
            for device in self.nodes[*node].devices.drain(..) {
                self.node_of[device.index()] = None;
            }
        }
    }

    /// The box of a device.
    pub(crate) fn node_of(&self, device: DeviceId) -> Option<usize> {
        self.node_of[device.index()]
    }

    pub(crate) fn row_of(&self, node: usize) -> usize {
        self.units[self.nodes[node].unit].row
    }

    fn unit(&mut self, row: usize, pair: Option<PairId>) -> usize {
        let at = self.units.len();
        self.units.push(Unit { nodes: Vec::new(), pair, row, center: 0.0 });
        if self.rows.len() <= row {
            self.rows.resize(row + 1, Vec::new());
        }
        self.rows[row].push(at);
        at
    }

    fn node(&mut self, unit: usize, kind: Kind, name: String, devices: Vec<DeviceId>) {
        let at = self.nodes.len();
        for device in &devices {
            self.node_of[device.index()] = Some(at);
        }
        self.units[unit].nodes.push(at);
        self.nodes.push(Node { kind, name, devices, area: Area::default(), slot: 0.0, unit });
    }

    /// Makes the boxes of switches; returns those that are in a folded one.
    fn switches(
        &mut self,
        fabric: &Fabric,
        cabling: &Cabling,
        keep: &BTreeSet<DeviceId>,
    ) -> BTreeSet<DeviceId> {
        let mut folded = BTreeSet::new();
        let pods = cabling.alike_pods(fabric, keep);
        folded.extend(pods.iter().flatten().flatten().copied());
        // One pair or one switch alone; pairs stand where their first side does.
        let mut groups: Vec<Vec<DeviceId>> = Vec::new();
        for (id, device) in fabric.devices() {
            if device.kind != DeviceKind::Switch || folded.contains(&id) {
                continue;
            }
            match device.pair {
                Some((pair, side)) => {
                    let sides = &fabric.pair(pair).sides;
                    let other = sides[1 - side].switch.value;
                    if side == 0 || cabling.tier[other] != cabling.tier[id] {
                        let twin = (cabling.tier[other] == cabling.tier[id] && other != id)
                            .then_some(other);
                        groups.push(std::iter::once(id).chain(twin).collect());
                    }
                }
                None => groups.push(vec![id]),
            }
        }
        // What is alike: as many, of one role, below the same, with as much below.
        let mut classes: BTreeMap<Likeness, Vec<usize>> = BTreeMap::new();
        let mut row_sizes: BTreeMap<usize, usize> = BTreeMap::new();
        for (at, group) in groups.iter().enumerate() {
            *row_sizes.entry(cabling.tier[group[0]]).or_default() += 1;
            if !group.iter().any(|device| keep.contains(device)) {
                classes.entry(cabling.likeness(fabric, group)).or_default().push(at);
            }
        }
        let mut hidden: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        for (likeness, alike) in classes {
            if row_sizes[&likeness.tier] > SWITCHES_SHOWN && alike.len() > 4 {
                let middle = &alike[3..alike.len() - 1];
                hidden.insert(middle[0], middle.to_vec());
            }
        }
        let all_hidden: BTreeSet<usize> = hidden.values().flatten().copied().collect();
        for (at, group) in groups.iter().enumerate() {
            let row = cabling.tier[group[0]];
            if let Some(alike) = hidden.get(&at) {
                let devices: Vec<DeviceId> =
                    alike.iter().flat_map(|&other| groups[other].iter().copied()).collect();
                let unit = self.unit(row, None);
                let what = if group.len() == 2 { "pairs" } else { "switches" };
                let (first, last) = (devices[0], devices[devices.len() - 1]);
                let words =
                    format!("{} to {}", fabric.device_name(first), fabric.device_name(last));
                folded.extend(devices.iter().copied());
                let name = format!("{} more {what} like these", alike.len());
                self.node(unit, Kind::Fold(words), name, devices);
            }
            if all_hidden.contains(&at) {
                continue;
            }
            let pair = fabric.device(group[0]).pair.map(|(pair, _)| pair);
            let unit = self.unit(row, pair.filter(|_| group.len() == 2));
            for &device in group {
                let made = fabric.device(device);
                let kind = match made.role.map(|role| role.value) {
                    Some(Role::Border) => Kind::Border,
                    Some(Role::Router) => Kind::Router,
                    _ => Kind::Switch,
                };
                self.node(unit, kind, made.name.value.to_string(), vec![device]);
            }
        }
        // Pods that are folded stand behind those that are not.
        for pods in pods {
            let devices: Vec<DeviceId> = pods.iter().flatten().copied().collect();
            let row = devices.iter().map(|&device| cabling.tier[device]).min().unwrap_or(0);
            let switches = devices
                .iter()
                .filter(|&&device| fabric.device(device).kind == DeviceKind::Switch)
                .count();
            let hosts = devices.len() - switches;
            let unit = self.unit(row, None);
            let words = match hosts {
                0 => format!("{switches} switches"),
                _ => format!("{switches} switches, {hosts} hosts"),
            };
            let name = format!("{} more pods like these", pods.len());
            self.node(unit, Kind::Fold(words), name, devices);
        }
        folded
    }

    fn hosts(
        &mut self,
        fabric: &Fabric,
        cabling: &Cabling,
        keep: &BTreeSet<DeviceId>,
        folded: &BTreeSet<DeviceId>,
    ) {
        let hosts: Vec<DeviceId> = fabric
            .devices()
            .filter(|(id, device)| device.kind == DeviceKind::Host && self.node_of(*id).is_none())
            .map(|(id, _)| id)
            .collect();
        let few = hosts.len() <= HOSTS_SHOWN;
        let mut classes: BTreeMap<Vec<(usize, usize)>, Vec<DeviceId>> = BTreeMap::new();
        for &host in &hosts {
            let above = &cabling.beside[host];
            // The hosts of folded switches are in their box.
            if let Some(&behind) =
                above.keys().next().filter(|_| above.keys().all(|d| folded.contains(d)))
            {
                let node = self.node_of(behind);
                self.node_of[host.index()] = node;
                if let Some(node) = node {
                    self.nodes[node].devices.push(host);
                }
                continue;
            }
            let mut on: Vec<(usize, usize)> = above
                .iter()
                .filter_map(|(&switch, &cables)| Some((self.node_of(switch)?, cables)))
                .collect();
            // One that is kept, or where there are few, is of a class of its own.
            if few || keep.contains(&host) {
                on.push((usize::MAX, host.index()));
            }
            classes.entry(on).or_default().push(host);
        }
        let mut classes: Vec<Vec<DeviceId>> = classes.into_values().collect();
        classes.sort_by_key(|class| class[0]);
        for class in classes {
            let row = class.iter().map(|&host| cabling.tier[host]).min().unwrap_or(0);
            let unit = self.unit(row, None);
            match class[..] {
                [host] => {
                    let name = fabric.device_name(host).to_owned();
                    self.node(unit, Kind::Host, name, class);
                }
                [first, .., last] => {
                    let words =
                        format!("{} to {}", fabric.device_name(first), fabric.device_name(last));
                    let name = format!("{} hosts", class.len());
                    self.node(unit, Kind::Fold(words), name, class);
                }
                [] => {}
            }
        }
    }

    fn wires(&mut self, fabric: &Fabric) {
        let mut between: BTreeMap<[usize; 2], Vec<CableId>> = BTreeMap::new();
        for (id, cable) in fabric.cables() {
            let nodes = cable.ends.map(|end| self.node_of[fabric.port(end.value).device.index()]);
            let [Some(a), Some(b)] = nodes else { continue };
            if a != b {
                between.entry([a.min(b), a.max(b)]).or_default().push(id);
            }
        }
        self.wires = between.into_iter().map(|(ends, cables)| Wire { ends, cables }).collect();
    }

    /// Orders each row by what its boxes are cabled to, for as few crossings as that brings.
    fn order(&mut self) {
        let mut beside: Vec<BTreeMap<usize, f64>> = vec![BTreeMap::new(); self.units.len()];
        for wire in &self.wires {
            let [a, b] = wire.ends.map(|node| self.nodes[node].unit);
            if a != b {
                let cables = wire.cables.len() as f64;
                *beside[a].entry(b).or_default() += cables;
                *beside[b].entry(a).or_default() += cables;
            }
        }
        let mut best = (self.crossings(&beside), self.rows.clone());
        for round in 0..8 {
            let downwards = round % 2 == 0;
            let count = self.rows.len();
            for step in 1..count {
                let row = if downwards { step } else { count - 1 - step };
                let from = if downwards { row - 1 } else { row + 1 };
                let mut place: BTreeMap<usize, f64> = BTreeMap::new();
                for (at, &unit) in self.rows[from].iter().enumerate() {
                    place.insert(unit, at as f64);
                }
                let mean = |at: usize, unit: usize| {
                    let known = beside[unit]
                        .iter()
                        .filter_map(|(other, cables)| Some((place.get(other)? * cables, cables)));
                    let (sum, weight) = known.fold((0.0, 0.0), |(sum, all), (place, cables)| {
                        (sum + place, all + cables)
                    });
                    // Without anything there it stays about where it is.
                    let share = at as f64 / self.rows[row].len().max(1) as f64;
                    let own = share * self.rows[from].len() as f64;
                    if weight > 0.0 { sum / weight } else { own }
                };
                let mut keyed: Vec<(f64, usize)> = self.rows[row]
                    .iter()
                    .enumerate()
                    .map(|(at, &unit)| (mean(at, unit), unit))
                    .collect();
                keyed.sort_by(|a, b| a.0.total_cmp(&b.0));
                self.rows[row] = keyed.into_iter().map(|(_, unit)| unit).collect();
            }
            let crossings = self.crossings(&beside);
            if crossings < best.0 {
                best = (crossings, self.rows.clone());
            }
        }
        self.rows = best.1;
        self.join_neighbors(&beside, best.0);
    }

    /// Puts what is cabled within a row side by side, where that crosses no more lines.
    fn join_neighbors(&mut self, beside: &[BTreeMap<usize, f64>], mut crossings: usize) {
        for row in 0..self.rows.len() {
            for unit in self.rows[row].clone() {
                let place =
                    |row: &[usize], unit: usize| row.iter().position(|&other| other == unit);
                let Some(at) = place(&self.rows[row], unit) else { continue };
                let others = beside[unit].keys().filter_map(|&other| place(&self.rows[row], other));
                // One that is farther right comes next to this one.
                let Some(from) = others.filter(|&other| other > at + 1).min() else { continue };
                let mut tried = self.rows[row].clone();
                let moved = tried.remove(from);
                tried.insert(at + 1, moved);
                let before = std::mem::replace(&mut self.rows[row], tried);
                let now = self.crossings(beside);
                if now <= crossings {
                    crossings = now;
                } else {
                    self.rows[row] = before;
                }
            }
        }
    }

    /// How often lines between neighboring rows cross.
    fn crossings(&self, beside: &[BTreeMap<usize, f64>]) -> usize {
        self.rows
            .windows(2)
            .map(|rows| {
                let place: BTreeMap<usize, usize> =
                    rows[1].iter().enumerate().map(|(at, &unit)| (unit, at)).collect();
                let lines = rows[0].iter().flat_map(|&unit| {
                    let mut ends: Vec<usize> =
                        beside[unit].keys().filter_map(|other| place.get(other).copied()).collect();
                    ends.sort_unstable();
                    ends
                });
                // Inversions, by insertion into a sorted list.
                let mut seen: Vec<usize> = Vec::new();
                let mut crossings = 0;
                for end in lines {
                    let at = seen.partition_point(|&other| other <= end);
                    crossings += seen.len() - at;
                    seen.insert(at, end);
                }
                crossings
            })
            .sum()
    }

    /// Gives every box its size and place: the widest row is packed, the others follow from it.
    fn place(&mut self, fabric: &Fabric) {
        self.sizes(fabric);
        let packed = |row: &Vec<usize>| {
            row.iter().map(|&unit| self.unit_width(unit) + UNIT_GAP).sum::<f64>()
        };
        let widths: Vec<f64> = self.rows.iter().map(packed).collect();
        let widest = (0..self.rows.len()).max_by(|&a, &b| widths[a].total_cmp(&widths[b]));
        let Some(widest) = widest else { return };
        let mut x = 0.0;
        for unit in self.rows[widest].clone() {
            let width = self.unit_width(unit);
            self.units[unit].center = x + width / 2.0;
            x += width + UNIT_GAP;
        }
        let neighbors = self.unit_neighbors();
        for row in (0..widest).rev() {
            // What joins all below stands apart, so that its lines do too.
            let between = self.rows[row].len().saturating_sub(1).max(1) as f64;
            let boxes = widths[row] - UNIT_GAP * (between + 1.0);
            let gap = ((widths[widest] * 0.62 - boxes) / between).clamp(UNIT_GAP, 180.0);
            let joins = self.rows[row].len() > 1
                && self.rows[row].iter().all(|&unit| {
                    neighbors[unit].keys().filter(|&&n| self.units[n].row == row + 1).count() > 2
                });
            self.follow(row, row + 1, &neighbors, if joins { gap } else { UNIT_GAP });
        }
        for row in widest + 1..self.rows.len() {
            self.follow(row, row - 1, &neighbors, UNIT_GAP);
        }
        let mut left = f64::MAX;
        for unit in 0..self.units.len() {
            left = left.min(self.units[unit].center - self.unit_width(unit) / 2.0);
        }
        let mut y = 0.0;
        for row in 0..self.rows.len() {
            let height = self.rows[row]
                .iter()
                .flat_map(|&unit| &self.units[unit].nodes)
                .map(|&node| self.nodes[node].area.height)
                .fold(0.0, f64::max);
            for at in 0..self.rows[row].len() {
                let unit = self.rows[row][at];
                let mut x = self.units[unit].center - self.unit_width(unit) / 2.0 - left;
                for node in self.units[unit].nodes.clone() {
                    let area = &mut self.nodes[node].area;
                    (area.x, area.y) = (x, y);
                    x += area.width + PAIR_GAP;
                }
            }
            y += height + self.gap_below(fabric, row);
        }
    }

    /// Room for the lines to the row below: the more lines, the more room.
    fn gap_below(&self, fabric: &Fabric, row: usize) -> f64 {
        let lines: usize = self
            .wires
            .iter()
            .filter(|wire| {
                let rows = wire.ends.map(|node| self.row_of(node));
                rows[0].min(rows[1]) == row && rows[0] != rows[1]
            })
            .map(|wire| wire.cables.len().min(CABLES_SHOWN))
            .sum();
        let arcs = self.wires.iter().any(|wire| {
            wire.ends.iter().all(|&node| self.row_of(node) == row) && !self.side_by_side(wire)
        });
        let wans = fabric.wans().any(|(_, wan)| {
            let devices = wan.ends.map(|end| fabric.port(end.value).device);
            devices
                .iter()
                .any(|&device| self.node_of(device).is_some_and(|node| self.row_of(node) == row))
        });
        let room = (64.0 + 1.6 * lines as f64).min(124.0);
        room + if arcs || wans { 20.0 } else { 0.0 }
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

    fn unit_width(&self, unit: usize) -> f64 {
        let nodes = &self.units[unit].nodes;
        let boxes: f64 = nodes.iter().map(|&node| self.nodes[node].area.width).sum();
        let gaps = nodes.len().saturating_sub(1) as f64 * PAIR_GAP;
        boxes + gaps
    }

    fn unit_neighbors(&self) -> Vec<BTreeMap<usize, usize>> {
        let mut found = vec![BTreeMap::new(); self.units.len()];
        for wire in &self.wires {
            let [a, b] = wire.ends.map(|node| self.nodes[node].unit);
            if a != b {
                *found[a].entry(b).or_default() += wire.cables.len();
                *found[b].entry(a).or_default() += wire.cables.len();
            }
        }
        found
    }

    /// Places a row as near as can be to what it is cabled to in another, in its order, with nothing over
    /// anything else: the least squares of all shifts, found by joining neighbors that push each other.
    fn follow(&mut self, row: usize, other: usize, neighbors: &[BTreeMap<usize, usize>], gap: f64) {
        let units = self.rows[row].clone();
        let mut wanted: Vec<f64> = Vec::with_capacity(units.len());
        let mut last = 0.0;
        for &unit in &units {
            let (mut sum, mut weight) = (0.0, 0.0);
            for (&n, &cables) in &neighbors[unit] {
                if self.units[n].row == other {
                    let cables = cables.min(CABLES_SHOWN) as f64;
                    sum += self.units[n].center * cables;
                    weight += cables;
                }
            }
            last = if weight > 0.0 { sum / weight } else { last };
            wanted.push(last);
        }
        // Blocks of units that touch: the place of the first, how many, and the mean of what they want.
        let mut offsets = vec![0.0; units.len()];
        for at in 1..units.len() {
            let (a, b) = (self.unit_width(units[at - 1]), self.unit_width(units[at]));
            offsets[at] = offsets[at - 1] + a / 2.0 + gap + b / 2.0;
        }
        let mut blocks: Vec<(f64, f64, usize)> = Vec::new();
        for at in 0..units.len() {
            let mut block = (wanted[at] - offsets[at], 1.0, 1);
            while let Some(&(sum, weight, count)) = blocks.last() {
                if sum / weight < block.0 / block.1 {
                    break;
                }
                block = (block.0 + sum, block.1 + weight, block.2 + count);
                blocks.pop();
            }
            blocks.push(block);
        }
        let mut at = 0;
        for (sum, weight, count) in blocks {
            for _ in 0..count {
                self.units[units[at]].center = sum / weight + offsets[at];
                at += 1;
            }
        }
    }

    fn sizes(&mut self, fabric: &Fabric) {
        // The lines on the upper edge, on the lower one, and on how many sides there are some.
        let mut edges = vec![(0_usize, 0_usize, 0_usize); self.nodes.len()];
        let mut slots = vec![18.0_f64; self.nodes.len()];
        for wire in &self.wires {
            let lines = self.lines(wire);
            let rows = wire.ends.map(|node| self.row_of(node));
            let beside = rows[0] == rows[1] && self.side_by_side(wire);
            for (end, &node) in wire.ends.iter().enumerate() {
                match rows[end].cmp(&rows[1 - end]) {
                    _ if beside => edges[node].2 += 1,
                    std::cmp::Ordering::Greater => edges[node].0 += lines,
                    _ => edges[node].1 += lines,
                }
            }
            if lines == wire.cables.len() {
                for port in wire.cables.iter().flat_map(|&cable| fabric.cable(cable).ends) {
                    if let Some(node) = self.node_of(fabric.port(port.value).device) {
                        let name = width(fabric.port_name(port.value), PORT_SIZE, false) + 3.0;
                        slots[node] = slots[node].max(name);
                    }
                }
            }
        }
        for (at, node) in self.nodes.iter_mut().enumerate() {
            let (up, down, aside) = edges[at];
            let ports = up.max(down).min(16) as f64 * slots[at] + 2.0;
            let name = width(&node.name, NAME_SIZE, true) + 16.0;
            let mark = aside as f64 * (slots[at] + 2.0);
            let (wide, high) = match &node.kind {
                Kind::Host => (ports.max(name + mark).max(48.0), HOST_HEIGHT),
                Kind::Fold(words) => {
                    let words = width(words, PORT_SIZE, false) + 18.0;
                    (name.max(words).max(110.0), SWITCH_HEIGHT)
                }
                _ => (ports.max(name + mark).max(60.0), SWITCH_HEIGHT),
            };
            node.slot = slots[at];
            node.area = Area::new(0.0, 0.0, wide, high);
        }
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

/// How many switches of a tier and a role a pod has.
type Share = (usize, Option<Role>, usize);

/// What makes switches alike.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Likeness {
    tier: usize,
    count: usize,
    role: Option<Role>,
    /// The switches above and beside, with how many cables.
    above: Vec<(DeviceId, usize)>,
    /// How many switches and hosts are below.
    below: (usize, usize),
}

impl Cabling {
    fn of(fabric: &Fabric) -> Self {
        let mut beside: IdVec<DeviceId, BTreeMap<DeviceId, usize>> =
            fabric.of_each_device(|_| BTreeMap::new());
        for (_, cable) in fabric.cables() {
            let [a, b] = cable.ends.map(|end| fabric.port(end.value).device);
            if a != b {
                *beside[a].entry(b).or_default() += 1;
                *beside[b].entry(a).or_default() += 1;
            }
        }
        let tier = tiers(fabric, &beside);
        Self { beside, tier }
    }

    fn likeness(&self, fabric: &Fabric, group: &[DeviceId]) -> Likeness {
        let tier = self.tier[group[0]];
        let mut above: BTreeMap<DeviceId, usize> = BTreeMap::new();
        let (mut switches, mut hosts) = (BTreeSet::new(), BTreeSet::new());
        for &device in group {
            for (&other, &cables) in &self.beside[device] {
                if group.contains(&other) {
                    continue;
                }
                if self.tier[other] <= tier {
                    *above.entry(other).or_default() += cables;
                } else if fabric.device(other).kind == DeviceKind::Host {
                    hosts.insert(other);
                } else {
                    switches.insert(other);
                }
            }
        }
        // Whoever joins everything below is no less alike for one more below.
        let below = if hosts.is_empty() { (0, 0) } else { (switches.len(), hosts.len().min(1)) };
        Likeness {
            tier,
            count: group.len(),
            role: fabric.device(group[0]).role.map(|role| role.value),
            above: above.into_iter().collect(),
            below,
        }
    }

    /// Pods that are alike and more than a few, without those that are shown: what is cabled together
    /// once the top tier is taken away.
    fn alike_pods(&self, fabric: &Fabric, keep: &BTreeSet<DeviceId>) -> Vec<Vec<Vec<DeviceId>>> {
        let top = |device: DeviceId| {
            fabric.device(device).role.is_some_and(|role| role.value == Role::SuperSpine)
        };
        if !fabric.devices().any(|(id, _)| top(id)) {
            return Vec::new();
        }
        let mut seen: BTreeSet<DeviceId> = BTreeSet::new();
        let mut alike: BTreeMap<Vec<Share>, Vec<Vec<DeviceId>>> = BTreeMap::new();
        for (id, _) in fabric.devices() {
            if top(id) || !seen.insert(id) {
                continue;
            }
            let mut pod = vec![id];
            let mut at = 0;
            while let Some(&device) = pod.get(at) {
                at += 1;
                for &other in self.beside[device].keys() {
                    if !top(other) && seen.insert(other) {
                        pod.push(other);
                    }
                }
            }
            pod.sort_unstable();
            let mut counts: BTreeMap<(usize, Option<Role>), usize> = BTreeMap::new();
            for &device in &pod {
                // Some hosts more or less make no other kind of pod.
                if fabric.device(device).kind == DeviceKind::Switch {
                    let role = fabric.device(device).role.map(|role| role.value);
                    *counts.entry((self.tier[device], role)).or_default() += 1;
                }
            }
            let counts: Vec<_> =
                counts.into_iter().map(|((tier, role), count)| (tier, role, count)).collect();
            if counts.len() > 1 {
                alike.entry(counts).or_default().push(pod);
            }
        }
        let many = alike.into_values().filter(|pods| pods.len() > PODS_SHOWN + 1);
        many.map(|pods| {
            let kept = |pod: &Vec<DeviceId>| pod.iter().any(|device| keep.contains(device));
            let shown = pods.iter().filter(|pod| kept(pod)).count();
            let mut spare = PODS_SHOWN.saturating_sub(shown);
            pods.into_iter()
                .filter(|pod| {
                    let shown = kept(pod) || spare > 0;
                    if !kept(pod) {
                        spare = spare.saturating_sub(1);
                    }
                    !shown
                })
                .collect()
        })
        .collect()
    }
}

/// The tier of each device, the top first: by its role, else by what it is cabled to.
fn tiers(
    fabric: &Fabric,
    beside: &IdVec<DeviceId, BTreeMap<DeviceId, usize>>,
) -> IdVec<DeviceId, usize> {
    const LEAF: usize = 2;
    let mut tier: IdVec<DeviceId, Option<usize>> = fabric.of_each_device(|id| {
        let device = fabric.device(id);
        match device.role.map(|role| role.value) {
            Some(Role::SuperSpine) => Some(0),
            Some(Role::Spine) => Some(1),
            Some(Role::Leaf | Role::Border) => Some(LEAF),
            None if device.kind == DeviceKind::Switch
                && (fabric.overlay_of(id).is_some() || device.pair.is_some()) =>
            {
                Some(LEAF)
            }
            Some(Role::Access | Role::Router) | None => None,
        }
    });
    let none = tier.iter().all(|(_, tier)| tier.is_none());
    if none {
        // Nothing is said of roles: what has hosts is a leaf, and what joins leaves is above them.
        for (id, device) in fabric.devices() {
            let has_hosts =
                beside[id].keys().any(|&other| fabric.device(other).kind == DeviceKind::Host);
            if device.kind == DeviceKind::Switch {
                tier[id] = Some(if has_hosts { LEAF } else { 1 });
            }
        }
    }
    // What is left is one below the lowest that it hangs from, step by step.
    let mut queue: std::collections::VecDeque<DeviceId> =
        tier.iter().filter(|(_, tier)| tier.is_some()).map(|(id, _)| id).collect();
    while let Some(device) = queue.pop_front() {
        let Some(own) = tier[device] else { continue };
        for &other in beside[device].keys() {
            if tier[other].is_none() {
                tier[other] = Some(own.max(LEAF) + 1);
                queue.push_back(other);
            }
        }
    }
    fabric.of_each_device(|id| tier[id].unwrap_or(LEAF + 1))
}
