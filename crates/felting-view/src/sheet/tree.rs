use felting::behaviour::{
    BridgeId, BridgePortId, Carrier, PortRole, Tree, TreeCase, TreeKind, TreeReason, Trees,
};
use felting::fabric::DeviceId;
use felting::id::Id as _;
use felting::progress::{Progress, Stage};
use felting::{Fabric, State};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, count, of};

pub(super) const SHEET: Record = Record {
    word: "tree",
    about: "the spanning trees: root, role and state of each port, and why",
    of_switches: false,
    follows: Follows::Losses,
    make: |state, _, progress| sheet(state, progress),
};

line! {
    tree: "tree", Room::Whole;
    device: "device", Room::Whole;
    port: "port", Room::Whole;
    role: "role", Room::Whole;
    state: "state", Room::Whole;
    cost: "cost", Room::Whole;
    to_root: "to the root", Room::Whole;
    far: "far end", Room::Lines(24);
    reason: "reason", Room::Lines(48);
}

fn sheet(state: &State, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let trees = state.trees();
    let view = View { fabric, trees };
    let (mut rows, mut alone) = (Vec::new(), 0);
    // The ports of each bridge that lead to another, and whether the common tree holds for it.
    let mut bridges: Vec<(Vec<BridgePortId>, bool)> = trees
        .bridges()
        .map(|(id, _)| (Vec::new(), trees.holding(id).any(|tree| tree.kind == TreeKind::Common)))
        .collect();
    for (id, port) in trees.ports().filter(|(_, port)| port.linked) {
        if trees.neighbours(id).next().is_some() || port.beyond.is_some() {
            bridges[port.bridge.index()].0.push(id);
        }
    }
    for tree in progress.each(Stage::Rows, trees.trees().iter()) {
        for (bridge, case) in tree.bridges.iter() {
            let (ports, common) = &bridges[bridge.index()];
            let holds = *common || tree.kind != TreeKind::Common;
            let Some(case) = case.filter(|_| holds) else { continue };
            let in_tree = |port: &BridgePortId| trees.in_tree(tree, *port).is_some();
            let joined: Vec<_> = ports.iter().copied().filter(in_tree).collect();
            if joined.is_empty() {
                alone += usize::from(tree.kind == TreeKind::Common);
                continue;
            }
            if case.root == bridge {
                rows.push(view.root(tree, bridge, &joined));
            }
            rows.extend(joined.iter().filter_map(|&port| view.port(tree, case, port)));
        }
    }
    let discarding = rows.iter().filter(|row| row.tone == Tone::Impaired).count();
    let note = match alone {
        0 => String::new(),
        alone => format!("; {} without a neighbour", count(alone, "bridge")),
    };
    Sheet {
        topic: SHEET.word,
        title: match rows.is_empty() {
            true => format!("Spanning tree{}: no two bridges are linked", of(fabric)),
            false => format!(
                "Spanning tree{}: {} discarding{note}",
                of(fabric),
                count(discarding, "port")
            ),
        },
        keys: 3,
        columns: Line::columns(),
        rows,
    }
}

struct View<'a> {
    fabric: &'a Fabric,
    trees: &'a Trees,
}

impl View<'_> {
    fn about(&self, bridge: BridgeId) -> Vec<Subject> {
        self.trees.bridge(bridge).devices.iter().map(|&device| Subject::Device(device)).collect()
    }

    fn kind(tree: &Tree) -> String {
        match &tree.kind {
            TreeKind::Instance { region, id } => format!("{region} {id}"),
            TreeKind::Vlans(vlans) => format!("VLAN {vlans}"),
            _ => "common".to_owned(),
        }
    }

    fn bridge(&self, bridge: BridgeId) -> String {
        let device = self.trees.bridge(bridge).devices[0];
        match self.fabric.device(device).pair {
            Some((pair, _)) => format!("{} (pair)", self.fabric.pair(pair).name.value),
            None => self.fabric.device_name(device).to_owned(),
        }
    }

    fn port_name(&self, port: BridgePortId) -> String {
        match self.trees.port(port).carrier {
            Carrier::Port(at) => {
                self.of_side(port, self.fabric.port(at).device, self.fabric.port_name(at))
            }
            Carrier::Lag(lag) => {
                let lag = self.fabric.lag(lag);
                self.of_side(port, lag.device, &lag.name)
            }
            Carrier::Group(group) => {
                let mut halves = self.fabric.group(group).halves.into_iter().flatten();
                halves.next().map_or_else(String::new, |lag| self.fabric.lag(lag).name.to_string())
            }
            _ => String::new(),
        }
    }

    /// A name on a switch; of the two that are one bridge it says which.
    fn of_side(&self, port: BridgePortId, device: DeviceId, name: &str) -> String {
        match self.trees.bridge(self.trees.port(port).bridge).devices.len() {
            1 => name.to_owned(),
            _ => format!("{} {name}", self.fabric.device_name(device)),
        }
    }

    fn label(&self, port: BridgePortId) -> String {
        let of = self.trees.port(port);
        let named = self.trees.bridge(of.bridge).devices.len() > 1
            && !matches!(of.carrier, Carrier::Group(_));
        match named {
            true => self.port_name(port),
            false => format!("{} {}", self.bridge(of.bridge), self.port_name(port)),
        }
    }

    /// The row of a root bridge, with what made it the root.
    fn root(&self, tree: &Tree, bridge: BridgeId, joined: &[BridgePortId]) -> Row {
        let own = self.trees.bridge(bridge).identifier;
        let next = tree
            .bridges
            .iter()
            .filter(|(other, case)| *other != bridge && case.is_some_and(|c| c.root == bridge))
            .map(|(other, _)| (self.trees.bridge(other).identifier, other))
            .min();
        let why = match (&tree.kind, next) {
            (TreeKind::Common, Some((other, next))) if own.priority != other.priority => {
                format!(
                    "its priority {} is the lowest; the next is {} of {}",
                    own.priority,
                    other.priority,
                    self.bridge(next)
                )
            }
            (TreeKind::Common, Some((_, next))) => format!(
                "its MAC address {} is the lowest of those with priority {}; the next is that of {}",
                own.mac,
                own.priority,
                self.bridge(next)
            ),
            _ => "the best identifier in this tree".to_owned(),
        };
        let line = Line {
            tree: Cell::text(Self::kind(tree)),
            device: Cell::text(self.bridge(bridge)),
            port: Cell::text("(root)"),
            role: Cell::text("root-bridge"),
            state: Cell::Empty,
            cost: Cell::Empty,
            to_root: Cell::number(Some(0_u32)),
            far: Cell::Empty,
            reason: Cell::text(format!("{why}; it leads {}", count(joined.len(), "link"))),
        };
        line.row(Tone::Plain, self.about(bridge))
    }

    fn port(&self, tree: &Tree, case: TreeCase, port: BridgePortId) -> Option<Row> {
        let (role, why) = self.trees.in_tree(tree, port)?;
        let of = self.trees.port(port);
        let far = self.trees.neighbours(port).chain(of.beyond);
        let far = far.map(|other| self.label(other)).collect();
        let line = Line {
            tree: Cell::text(Self::kind(tree)),
            device: Cell::text(self.bridge(of.bridge)),
            port: Cell::text(self.port_name(port)),
            role: Cell::text(role.word()),
            state: Cell::text(role.state()),
            cost: Cell::number(Some(of.cost)),
            to_root: Cell::number(Some(case.cost.saturating_add(case.internal_cost))),
            far: Cell::List(far),
            reason: Cell::text(match (of.beyond, why) {
                (Some(beyond), TreeReason::NobodyElse) => {
                    format!("{} sends its BPDUs by another member", self.label(beyond))
                }
                _ => self.why(role, why),
            }),
        };
        let tone = match role {
            role if role.discards() => Tone::Impaired,
            PortRole::Disabled => Tone::Down,
            _ => Tone::Plain,
        };
        Some(line.row(tone, self.about(of.bridge)))
    }

    fn why(&self, role: PortRole, why: TreeReason) -> String {
        let leads = matches!(role, PortRole::Designated);
        match why {
            TreeReason::IsRoot => "its bridge is the root".to_owned(),
            TreeReason::OnlyWay => "the only way to the root".to_owned(),
            TreeReason::NobodyElse => "no other bridge takes part there".to_owned(),
            TreeReason::Cost { own, other } if leads => {
                format!("its bridge is nearer to the root: {own} against {other}")
            }
            TreeReason::Cost { own, other } => {
                format!("the cheapest way to the root: {own}, the next best {other}")
            }
            TreeReason::Bridge if leads => {
                "costs are equal; its bridge has the better identifier".to_owned()
            }
            TreeReason::Bridge => {
                "costs are equal; the bridge at its end has the better identifier".to_owned()
            }
            TreeReason::Port if leads => "of two ports of its bridge the better".to_owned(),
            TreeReason::Port => {
                "costs and bridge are equal; the port at its end has the better identifier"
                    .to_owned()
            }
            TreeReason::OwnPort => "all is equal but the own port's identifier".to_owned(),
            TreeReason::Beaten { by, by_bridge: true, own, .. } => format!(
                "{} leads there: costs are equal ({own}), its bridge has the better identifier",
                self.label(by)
            ),
            TreeReason::Beaten { by, own, other, .. } => {
                format!("{} leads there: {other} to the root against {own}", self.label(by))
            }
            TreeReason::OwnOtherPort(by) => {
                format!(
                    "leads back to its own bridge, whose port {} leads there",
                    self.port_name(by)
                )
            }
            TreeReason::Common => {
                "the edge of the region, where the common tree decides".to_owned()
            }
            TreeReason::Off => "takes no part in a tree".to_owned(),
            _ => "no link".to_owned(),
        }
    }
}
