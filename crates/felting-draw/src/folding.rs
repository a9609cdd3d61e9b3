//! What is alike and many, folded into one box.

use std::collections::{BTreeMap, BTreeSet};

use felting::Fabric;
use felting::fabric::{DeviceId, DeviceKind};
use felting::id::Id as _;
use felting::value::Role;

use super::part::Focus;
use super::plan::{Kind, Plan};
use super::tiers::Cabling;

/// Hosts up to this many are all drawn.
const HOSTS_SHOWN: usize = 24;
/// Of switches that are alike, a tier shows all of up to this many.
const SWITCHES_SHOWN: usize = 10;
/// Of pods that are alike, as many are shown.
const PODS_SHOWN: usize = 1;

impl Plan {
    /// Makes the boxes of switches; returns those that are in a folded one.
    pub(super) fn switches(
        &mut self,
        fabric: &Fabric,
        cabling: &Cabling,
        focus: &Focus,
    ) -> BTreeSet<DeviceId> {
        let keep = &focus.kept;
        let mut folded = BTreeSet::new();
        let pods = match focus.is_part() {
            true => Vec::new(),
            false => cabling.alike_pods(fabric, keep),
        };
        folded.extend(pods.iter().flatten().flatten().copied());
        // One pair or one switch alone; pairs stand where their first side does.
        let mut groups: Vec<Vec<DeviceId>> = Vec::new();
        for (id, device) in fabric.devices() {
            if device.kind != DeviceKind::Switch || folded.contains(&id) || !focus.shows(id) {
                continue;
            }
            match device.pair {
                Some((pair, side)) => {
                    let sides = &fabric.pair(pair).sides;
                    let other = sides[1 - side].switch.value;
                    let beside = cabling.tier[other] == cabling.tier[id] && focus.shows(other);
                    if side == 0 || !beside {
                        let twin = (beside && other != id).then_some(other);
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

    pub(super) fn hosts(
        &mut self,
        fabric: &Fabric,
        cabling: &Cabling,
        focus: &Focus,
        folded: &BTreeSet<DeviceId>,
    ) {
        let keep = &focus.kept;
        let hosts: Vec<DeviceId> = fabric
            .devices()
            .filter(|(id, device)| {
                device.kind == DeviceKind::Host && self.node_of(*id).is_none() && focus.shows(*id)
            })
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

    /// Leaves out the rows below the lowest that has something that is kept.
    pub(super) fn crop(&mut self, keep: &BTreeSet<DeviceId>) {
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
}

/// What makes switches alike.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Likeness {
    pub(super) tier: usize,
    count: usize,
    role: Option<Role>,
    /// The switches above and beside, with how many cables.
    above: Vec<(DeviceId, usize)>,
    /// How many switches and hosts are below.
    below: (usize, usize),
}

/// How many switches of a tier and a role a pod has.
type Share = (usize, Option<Role>, usize);

impl Cabling {
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
