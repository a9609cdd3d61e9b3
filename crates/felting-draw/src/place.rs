//! Where boxes stand, and how large they are.

use std::collections::BTreeMap;

use felting::Fabric;

use super::measure::width;
use super::scene::Area;

use super::plan::{CABLES_SHOWN, HOST_HEIGHT, Kind, NAME_SIZE, PORT_SIZE, Plan, SWITCH_HEIGHT};

/// Between the two of a pair, whose peer link has its port names there.
const PAIR_GAP: f64 = 38.0;
const UNIT_GAP: f64 = 16.0;

impl Plan {
    /// Gives every box its size and place: the widest row is packed, the others follow from it.
    pub(super) fn place(&mut self, fabric: &Fabric) {
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
        let neighbours = self.unit_neighbours();
        for row in (0..widest).rev() {
            // What joins all below stands apart, so that its lines do too.
            let between = self.rows[row].len().saturating_sub(1).max(1) as f64;
            let boxes = widths[row] - UNIT_GAP * (between + 1.0);
            let gap = ((widths[widest] * 0.62 - boxes) / between).clamp(UNIT_GAP, 180.0);
            let joins = self.rows[row].len() > 1
                && self.rows[row].iter().all(|&unit| {
                    neighbours[unit].keys().filter(|&&n| self.units[n].row == row + 1).count() > 2
                });
            self.follow(row, row + 1, &neighbours, if joins { gap } else { UNIT_GAP });
        }
        for row in widest + 1..self.rows.len() {
            self.follow(row, row - 1, &neighbours, UNIT_GAP);
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
    pub(super) fn gap_below(&self, fabric: &Fabric, row: usize) -> f64 {
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

    pub(super) fn unit_width(&self, unit: usize) -> f64 {
        let nodes = &self.units[unit].nodes;
        let boxes: f64 = nodes.iter().map(|&node| self.nodes[node].area.width).sum();
        let gaps = nodes.len().saturating_sub(1) as f64 * PAIR_GAP;
        boxes + gaps
    }

    /// Places a row as near as can be to what it is cabled to in another, in its order, with nothing over
    /// anything else: the least squares of all shifts, found by joining neighbours that push each other.
    pub(super) fn follow(
        &mut self,
        row: usize,
        other: usize,
        neighbours: &[BTreeMap<usize, usize>],
        gap: f64,
    ) {
        let units = self.rows[row].clone();
        let mut wanted: Vec<f64> = Vec::with_capacity(units.len());
        let mut last = 0.0;
        for &unit in &units {
            let (mut sum, mut weight) = (0.0, 0.0);
            for (&n, &cables) in &neighbours[unit] {
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

    pub(super) fn sizes(&mut self, fabric: &Fabric) {
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
}
