//! The order of boxes in their rows, so that few cables cross.

use std::collections::BTreeMap;

use super::plan::Plan;

impl Plan {
    /// Orders each row by what its boxes are cabled to, for as few crossings as that brings.
    pub(super) fn order(&mut self) {
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
        self.join_neighbours(&beside, best.0);
    }

    /// Puts what is cabled within a row side by side, where that crosses no more lines.
    pub(super) fn join_neighbours(
        &mut self,
        beside: &[BTreeMap<usize, f64>],
        mut crossings: usize,
    ) {
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

    /// How often lines between neighbouring rows cross.
    pub(super) fn crossings(&self, beside: &[BTreeMap<usize, f64>]) -> usize {
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

    pub(super) fn unit_neighbours(&self) -> Vec<BTreeMap<usize, usize>> {
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
}
