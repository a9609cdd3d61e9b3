//! The spanning tree: the root at the top, what forwards and what discards.

use std::collections::{BTreeMap, BTreeSet, VecDeque};

use felting::behaviour::{Bridge, BridgeId, BridgePortId, Carrier, PortRole, Tree, TreeKind};
use felting::fabric::Selection;
use felting::value::VlanId;
use felting::{Fabric, State};

use super::cabling::{HEAD, MARGIN};
use super::measure::{fitted, width};
use super::scene::{Area, Ink, Item, Point, Scene, Shape, Stroke, Text};
use super::{Drawing, Nothing, titled};

const HEIGHT: f64 = 44.0;
const BELOW: f64 = 96.0;
const GAP: f64 = 160.0;
/// As many bridges of one level are drawn.
const LEVEL_SHOWN: usize = 12;

/// The spanning tree of a VLAN, or the first that has links to decide over. Of a part of the fabric: its bridges, with
/// those that they are linked to.
///
/// # Errors
///
/// If no switch bridges to another, no tree is for the VLAN, or none of the part's bridges is in it.
pub fn tree(
    state: &State,
    vlan: Option<VlanId>,
    only: Option<&Selection>,
) -> Result<Drawing, Nothing> {
    let fabric = state.fabric();
    let trees = state.trees();
    let links = |tree: &Tree| {
        let ports = trees.ports().filter(|(id, port)| {
            tree.bridges[port.bridge].is_some() && trees.neighbours(*id).next().is_some()
        });
        ports
            .filter(|(id, port)| {
                let carries = vlan.is_none_or(|vlan| port.vlans.contains(vlan));
                carries && trees.in_tree(tree, *id).is_some()
            })
            .map(|(id, _)| id)
            .collect::<Vec<BridgePortId>>()
    };
    let is_for = |tree: &Tree| match (&tree.kind, vlan) {
        (TreeKind::Vlans(vlans), Some(vlan)) => vlans.contains(vlan),
        _ => true,
    };
    // With a VLAN the tree that is made for it, else the common one.
    let mut wanted: Vec<&Tree> = trees.trees().iter().filter(|tree| is_for(tree)).collect();
    if vlan.is_some() {
        wanted.sort_by_key(|tree| !matches!(tree.kind, TreeKind::Vlans(_)));
    }
    let found =
        wanted.into_iter().map(|tree| (tree, links(tree))).find(|(_, ports)| !ports.is_empty());
    let Some((tree, mut ports)) = found else {
        return Err(vlan.map_or(Nothing::Tree, Nothing::TreeOf));
    };
    if let Some(only) = only {
        let asked = |port: BridgePortId| {
            let devices = &trees.bridge(trees.port(port).bridge).devices;
            devices.iter().any(|&device| only.has_device(device))
        };
        ports.retain(|&port| asked(port) || trees.neighbours(port).any(asked));
        if ports.is_empty() {
            return Err(Nothing::Part("bridge of this tree"));
        }
    }
    let of = match (&tree.kind, vlan) {
        (_, Some(vlan)) => format!("spanning tree of VLAN {vlan}"),
        (TreeKind::Instance { region, id }, None) => {
            format!("spanning tree of instance {id} in region {region}")
        }
        (TreeKind::Vlans(vlans), None) => format!("spanning tree of VLAN {vlans}"),
        (_, None) => "spanning tree".to_owned(),
    };
    let of = match only {
        Some(only) => format!("{of}, around {}", only.words()),
        None => of,
    };
    let mut scene = titled(fabric, &of);
    let levels = levels(state, tree, &ports);
    let places = place(state, &levels);
    for &port in &ports {
        for other in trees.neighbours(port).filter(|&other| other > port) {
            link(&mut scene, state, tree, &places, [port, other], &ports);
        }
    }
    for (&bridge, &area) in &places {
        draw_bridge(&mut scene, state, tree, bridge, area);
    }
    let bottom = places.values().map(|area| area.bottom()).fold(0.0, f64::max);
    let right = places.values().map(|area| area.right()).fold(0.0, f64::max);
    scene.cover(Area::new(0.0, 0.0, right, bottom), MARGIN);
    let hidden: usize = levels.iter().map(|level| level.len().saturating_sub(LEVEL_SHOWN)).sum();
    legend(&mut scene, bottom + 34.0, hidden);
    Ok(Drawing { scene })
}

fn name(fabric: &Fabric, bridge: &Bridge) -> String {
    match bridge.devices[..] {
        [one] => fabric.device_name(one).to_owned(),
        [one, ..] => match fabric.device(one).pair {
            Some((pair, _)) => fabric.pair(pair).name.value.to_string(),
            None => fabric.device_name(one).to_owned(),
        },
        [] => String::new(),
    }
}

fn carrier(fabric: &Fabric, carrier: Carrier) -> String {
    match carrier {
        Carrier::Port(port) => fabric.port_name(port).to_owned(),
        Carrier::Lag(lag) => fabric.lag(lag).name.value.to_string(),
        Carrier::Group(group) => {
            let half = fabric.group(group).halves.into_iter().flatten().next();
            half.map(|half| fabric.lag(half).name.value.to_string()).unwrap_or_default()
        }
        _ => String::new(),
    }
}

/// The bridges by how many links they are from their root.
fn levels(state: &State, tree: &Tree, ports: &[BridgePortId]) -> Vec<Vec<BridgeId>> {
    let trees = state.trees();
    let bridges: BTreeSet<BridgeId> = ports.iter().map(|&port| trees.port(port).bridge).collect();
    let mut below: BTreeMap<BridgeId, Vec<BridgeId>> = BTreeMap::new();
    let mut roots = Vec::new();
    for &bridge in &bridges {
        let root_port = tree.bridges[bridge].and_then(|case| case.root_port);
        // What leads to the root leads over the designated port of the LAN.
        let above = root_port.and_then(|port| {
            let leads = |&other: &BridgePortId| {
                trees.in_tree(tree, other).is_some_and(|(role, _)| role == PortRole::Designated)
            };
            trees.neighbours(port).find(leads)
        });
        match above.map(|port| trees.port(port).bridge).filter(|above| bridges.contains(above)) {
            Some(above) => below.entry(above).or_default().push(bridge),
            None => roots.push(bridge),
        }
    }
    let mut levels: Vec<Vec<BridgeId>> = Vec::new();
    let mut seen: BTreeSet<BridgeId> = BTreeSet::new();
    let mut queue: VecDeque<(BridgeId, usize)> = roots.into_iter().map(|root| (root, 0)).collect();
    while let Some((bridge, level)) = queue.pop_front() {
        if !seen.insert(bridge) {
            continue;
        }
        if levels.len() <= level {
            levels.resize(level + 1, Vec::new());
        }
        levels[level].push(bridge);
        queue.extend(below.remove(&bridge).into_iter().flatten().map(|next| (next, level + 1)));
    }
    levels
}

fn says(tree: &Tree, bridge: BridgeId, made: &Bridge) -> String {
    let priority = made.identifier.priority;
    match tree.bridges[bridge] {
        Some(case) if case.root == bridge => format!("root, priority {priority}"),
        Some(case) => format!(
            "priority {priority}, cost {}",
            u64::from(case.cost) + u64::from(case.internal_cost)
        ),
        None => String::new(),
    }
}

fn place(state: &State, levels: &[Vec<BridgeId>]) -> BTreeMap<BridgeId, Area> {
    let fabric = state.fabric();
    let wide = |bridge: BridgeId| {
        let made = state.trees().bridge(bridge);
        width(&name(fabric, made), 12.0, true).max(126.0) + 20.0
    };
    let across = |level: &[BridgeId]| {
        level.iter().take(LEVEL_SHOWN).map(|&bridge| wide(bridge) + GAP).sum::<f64>() - GAP
    };
    let widest = levels.iter().map(|level| across(level)).fold(560.0, f64::max);
    let mut places = BTreeMap::new();
    let mut y = HEAD + 8.0;
    for level in levels {
        let mut x = MARGIN + (widest - across(level)) / 2.0;
        for &bridge in level.iter().take(LEVEL_SHOWN) {
            let area = Area::new(x, y, wide(bridge), HEIGHT);
            places.insert(bridge, area);
            x += area.width + GAP;
        }
        y += HEIGHT + BELOW;
    }
    places
}

fn draw_bridge(scene: &mut Scene, state: &State, tree: &Tree, bridge: BridgeId, area: Area) {
    let fabric = state.fabric();
    let made = state.trees().bridge(bridge);
    let is_root = tree.bridges[bridge].is_some_and(|case| case.root == bridge);
    let mut shapes = Vec::new();
    if is_root {
        shapes.push(Shape::Box {
            area: area.grown(4.0),
            radius: 6.0,
            fill: None,
            stroke: Some(Stroke::new(Ink::Line, 1.3)),
        });
    }
    shapes.push(Shape::Box {
        area,
        radius: 3.0,
        fill: Some(Ink::Switch),
        stroke: Some(Stroke::new(Ink::Line, 1.3)),
    });
    let middle = area.middle();
    let (first, second) =
        (Point::new(middle.x, middle.y - 1.0), Point::new(middle.x, middle.y + 13.0));
    let says = says(tree, bridge, made);
    shapes.push(Shape::Text(Text::new(first, 12.0, name(fabric, made)).bold().middle()));
    shapes.push(Shape::Text(Text::new(second, 9.5, says.clone()).middle().ink(Ink::Quiet)));
    let mut of: Vec<String> =
        made.devices.iter().map(|&device| fabric.device_name(device).to_owned()).collect();
    let own = name(fabric, made);
    if !of.contains(&own) {
        of.push(own.clone());
    }
    let details = format!("{own}: {says}, {}", made.identifier);
    scene.add(Item { of, details, faded: false, shapes });
}

/// Draws a link with what its two ends do.
fn link(
    scene: &mut Scene,
    state: &State,
    tree: &Tree,
    places: &BTreeMap<BridgeId, Area>,
    ends: [BridgePortId; 2],
    all: &[BridgePortId],
) {
    let fabric = state.fabric();
    let trees = state.trees();
    let bridges = ends.map(|port| trees.port(port).bridge);
    let [Some(&a), Some(&b)] = bridges.map(|bridge| places.get(&bridge)) else { return };
    let role = |port: BridgePortId| trees.in_tree(tree, port).map(|(role, _)| role);
    let roles = ends.map(|port| role(port).unwrap_or(PortRole::Disabled));
    // Several links between two bridges stand side by side.
    let alike: Vec<[BridgePortId; 2]> = all
        .iter()
        .flat_map(|&port| {
            trees.neighbours(port).map(move |other| [port.min(other), port.max(other)])
        })
        .filter(|pair| {
            let of = pair.map(|port| trees.port(port).bridge);
            of == bridges || of == [bridges[1], bridges[0]]
        })
        .collect::<BTreeSet<_>>()
        .into_iter()
        .collect();
    let place = alike.iter().position(|pair| *pair == ends).unwrap_or(0);
    let shift = 34.0 * (place as f64 - (alike.len() as f64 - 1.0) / 2.0);
    let level = (a.y - b.y).abs() < 1.0;
    let [from, to] = if level {
        let (left, right) = if a.x < b.x { (a, b) } else { (b, a) };
        let points = [
            Point::new(left.right(), left.middle().y + shift * 0.5),
            Point::new(right.x, right.middle().y + shift * 0.5),
        ];
        if a.x < b.x { points } else { [points[1], points[0]] }
    } else {
        let foot = |area: Area, other: Area| {
            let towards = (other.middle().x - area.middle().x) * 0.22;
            let x = area.middle().x
                + (towards + shift).clamp(-area.width / 2.0 + 12.0, area.width / 2.0 - 12.0);
            Point::new(x, if area.y < other.y { area.bottom() } else { area.y })
        };
        [foot(a, b), foot(b, a)]
    };
    let forwards = roles.iter().all(|role| role.forwards());
    let up = ends.iter().all(|&port| trees.port(port).linked);
    let stroke = match (up, forwards) {
        (false, _) => Stroke::new(Ink::Faint, 1.2).dotted(),
        (true, true) => Stroke::new(Ink::There, 2.4),
        (true, false) => Stroke::new(Ink::Back, 1.6).dashed(),
    };
    let mut shapes = vec![Shape::Line { points: vec![from, to], stroke, arrow: false }];
    for (end, (near, far)) in [(from, to), (to, from)].into_iter().enumerate() {
        let length = (far.x - near.x).hypot(far.y - near.y).max(1.0);
        let (ux, uy) = ((far.x - near.x) / length, (far.y - near.y) / length);
        if roles[end].discards() {
            // A bar across the line, where frames are held back.
            let at = Point::new(near.x + ux * 9.0, near.y + uy * 9.0);
            let points = vec![
                Point::new(at.x - uy * 8.0, at.y + ux * 8.0),
                Point::new(at.x + uy * 8.0, at.y - ux * 8.0),
            ];
            let stroke = Stroke::new(Ink::Back, 3.0);
            shapes.push(Shape::Line { points, stroke, arrow: false });
        }
        let words =
            format!("{} {}", carrier(fabric, trees.port(ends[end]).carrier), roles[end].word());
        let words = fitted(&words, 9.0, false, 130.0);
        let wide = width(&words, 9.0, false);
        let text = if level {
            let x = if ux > 0.0 { near.x + 4.0 } else { near.x - 4.0 - wide };
            // The two ends of a level link may be near each other: one above, one below.
            let y = near.y + if end == 0 { -5.0 } else { 12.0 };
            Text::new(Point::new(x, y), 9.0, words)
        } else {
            let down = uy > 0.0;
            let y = near.y + if down { 14.0 } else { -7.0 };
            // Outside of the line, so that neighbours don't meet; beside all of it that the text is as high as.
            let left = if end == 0 { far.x < near.x } else { far.x > near.x };
            let along = if left == (ux < 0.0) { 14.0 } else { 5.0 };
            let x = near.x + ux / uy.abs().max(0.2) * along;
            match left {
                true => Text::new(Point::new(x - 7.0, y), 9.0, words).end(),
                false => Text::new(Point::new(x + 7.0, y), 9.0, words),
            }
        };
        shapes.push(Shape::Text(text.ink(Ink::Quiet)));
    }
    let labels = [0, 1].map(|end| {
        let port = trees.port(ends[end]);
        format!(
            "{} {}: {}",
            name(fabric, trees.bridge(port.bridge)),
            carrier(fabric, port.carrier),
            roles[end].word()
        )
    });
    scene.add(Item { details: labels.join(" \u{2013} "), shapes, ..Item::default() });
}

fn legend(scene: &mut Scene, y: f64, hidden: usize) {
    let mut x = MARGIN;
    let mut shapes = Vec::new();
    for (stroke, words) in [
        (Stroke::new(Ink::There, 2.4), "forwards"),
        (Stroke::new(Ink::Back, 1.6).dashed(), "discards at the bar"),
    ] {
        let points = vec![Point::new(x, y), Point::new(x + 28.0, y)];
        shapes.push(Shape::Line { points, stroke, arrow: false });
        if stroke.ink == Ink::Back {
            let points = vec![Point::new(x + 4.0, y - 7.0), Point::new(x + 4.0, y + 7.0)];
            shapes.push(Shape::Line { points, stroke: Stroke::new(Ink::Back, 3.0), arrow: false });
        }
        shapes.push(Shape::Text(
            Text::new(Point::new(x + 34.0, y + 4.0), 10.0, words).ink(Ink::Quiet),
        ));
        x += 34.0 + width(words, 10.0, false) + 20.0;
    }
    if hidden > 0 {
        let words = format!("{hidden} more bridges are left out");
        shapes.push(Shape::Text(Text::new(Point::new(x, y + 4.0), 10.0, words).ink(Ink::Quiet)));
    }
    scene.plain(shapes);
    scene.cover(Area::new(0.0, 0.0, x, y + 8.0), MARGIN);
}
