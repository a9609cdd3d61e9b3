//! The cabling: switches in tiers, hosts below them, every cable or how many.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use felting::fabric::{CableId, DeviceId, LagId, PortId};
use felting::{Fabric, State};

use super::measure::{fitted, width};
use super::part::Focus;
use super::plan::{Kind, NAME_SIZE, PORT_SIZE, Plan};
use super::scene::{Area, Ink, Item, Point, Scene, Shape, Stroke, Text};

pub(super) const MARGIN: f64 = 20.0;
/// Above the drawing: its title.
pub(super) const HEAD: f64 = 58.0;

/// On which edge of a box a line ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Edge {
    Top,
    Bottom,
    Left,
    Right,
}

/// One line: a cable, or all between two boxes.
#[derive(Clone, Debug)]
struct Line {
    wire: usize,
    /// The cable, if it is one.
    cable: Option<CableId>,
    edges: [Edge; 2],
    points: [Point; 2],
}

/// A line of a LAG: its near and its far end, and which it is.
type Bound = (Point, Point, usize);

/// What a walk does to the drawing below it.
#[derive(Debug, Default)]
pub(super) struct Lit {
    pub(super) devices: BTreeSet<DeviceId>,
    /// With the port that the packet leaves by.
    pub(super) cables: BTreeMap<CableId, Vec<(Ink, PortId)>>,
}

/// A cabling plan with a place for everything.
pub(super) struct Cabled<'a> {
    fabric: &'a Fabric,
    state: &'a State,
    pub(super) plan: Plan,
    lines: Vec<Line>,
    /// How many lines end on each edge of a box.
    ends: BTreeMap<(usize, Edge), usize>,
}

impl<'a> Cabled<'a> {
    pub(super) fn new(state: &'a State, focus: &Focus) -> Self {
        let fabric = state.fabric();
        let mut plan = Plan::of(fabric, focus);
        for node in &mut plan.nodes {
            node.area.x += MARGIN;
            node.area.y += HEAD + MARGIN / 2.0;
        }
        let mut cabled = Self { fabric, state, plan, lines: Vec::new(), ends: BTreeMap::new() };
        cabled.lines = cabled.line_up();
        for line in &cabled.lines {
            for (node, edge) in cabled.plan.wires[line.wire].ends.into_iter().zip(line.edges) {
                *cabled.ends.entry((node, edge)).or_default() += 1;
            }
        }
        cabled
    }

    /// How far boxes reach.
    pub(super) fn size(&self) -> (f64, f64) {
        self.plan.size()
    }

    /// The lines, each end at its place on the edge of its box.
    fn line_up(&self) -> Vec<Line> {
        let plan = &self.plan;
        let mut lines: Vec<Line> = Vec::new();
        for (at, wire) in plan.wires.iter().enumerate() {
            let [a, b] = wire.ends;
            let (x, y) = (plan.row_of(a), plan.row_of(b));
            let edges = match x.cmp(&y) {
                _ if x == y && plan.side_by_side(wire) => {
                    if plan.nodes[a].area.x < plan.nodes[b].area.x {
                        [Edge::Right, Edge::Left]
                    } else {
                        [Edge::Left, Edge::Right]
                    }
                }
                std::cmp::Ordering::Less => [Edge::Bottom, Edge::Top],
                std::cmp::Ordering::Greater => [Edge::Top, Edge::Bottom],
                std::cmp::Ordering::Equal => [Edge::Bottom, Edge::Bottom],
            };
            let points = [Point::default(); 2];
            match plan.lines(wire) {
                1 if wire.cables.len() > 1 => {
                    lines.push(Line { wire: at, cable: None, edges, points });
                }
                _ => lines.extend(wire.cables.iter().map(|&cable| Line {
                    wire: at,
                    cable: Some(cable),
                    edges,
                    points,
                })),
            }
        }
        let mut at_edge: BTreeMap<(usize, Edge), Vec<(usize, usize)>> = BTreeMap::new();
        for (at, line) in lines.iter().enumerate() {
            for end in 0..2 {
                let node = plan.wires[line.wire].ends[end];
                at_edge.entry((node, line.edges[end])).or_default().push((at, end));
            }
        }
        for ((node, edge), mut ends) in at_edge {
            let area = plan.nodes[node].area;
            ends.sort_by(|&(a, x), &(b, y)| {
                let far = |line: usize, end: usize| {
                    let other = plan.wires[lines[line].wire].ends[1 - end];
                    plan.nodes[other].area.middle()
                };
                let (p, q) = (far(a, x), far(b, y));
                let flat = matches!(edge, Edge::Left | Edge::Right);
                let by = if flat { p.y.total_cmp(&q.y) } else { p.x.total_cmp(&q.x) };
                by.then(a.cmp(&b))
            });
            let count = ends.len() as f64;
            for (place, (line, end)) in ends.into_iter().enumerate() {
                let place = place as f64;
                lines[line].points[end] = match edge {
                    Edge::Top | Edge::Bottom => {
                        let slot = (area.width / count).min(plan.nodes[node].slot);
                        let first = area.middle().x - slot * (count - 1.0) / 2.0;
                        let y = if edge == Edge::Top { area.y } else { area.bottom() };
                        Point::new(first + slot * place, y)
                    }
                    Edge::Left | Edge::Right => {
                        let slot = ((area.height - 22.0) / count).min(12.0);
                        let first = area.middle().y - slot * (count - 1.0) / 2.0;
                        let x = if edge == Edge::Left { area.x } else { area.right() };
                        Point::new(x, first + slot * place)
                    }
                };
            }
        }
        lines
    }

    /// Draws everything, with what a walk passes lit up.
    pub(super) fn draw(&self, scene: &mut Scene, lit: Option<&Lit>) {
        self.frames(scene, lit);
        self.wans(scene, lit);
        for line in &self.lines {
            self.line(scene, line, lit);
        }
        self.ties(scene, lit);
        for node in 0..self.plan.nodes.len() {
            if !self.plan.nodes[node].devices.is_empty() {
                self.node(scene, node, lit);
            }
        }
        for line in &self.lines {
            self.port_names(scene, line, lit);
            self.count(scene, line, lit);
        }
        let (right, bottom) = self.size();
        scene.cover(Area::new(0.0, 0.0, right, bottom), MARGIN);
    }

    fn frames(&self, scene: &mut Scene, lit: Option<&Lit>) {
        for unit in &self.plan.units {
            let Some(pair) = unit.pair else { continue };
            if unit.nodes.iter().any(|&node| self.plan.nodes[node].devices.is_empty()) {
                continue;
            }
            let areas: Vec<Area> =
                unit.nodes.iter().map(|&node| self.plan.nodes[node].area).collect();
            let [first, .., last] = areas[..] else { continue };
            let area = Area::new(first.x, first.y, last.right() - first.x, first.height).grown(6.0);
            let name = self.fabric.pair(pair).name.value.to_string();
            let between = f64::midpoint(first.right(), last.x);
            let text = Text::new(Point::new(between, area.y + 11.0), PORT_SIZE, name.clone())
                .middle()
                .ink(Ink::Quiet);
            let devices = unit.nodes.iter().flat_map(|&node| &self.plan.nodes[node].devices);
            scene.add(Item {
                details: format!("the pair {name}"),
                of: vec![name],
                faded: is_faded(lit, devices),
                shapes: vec![
                    Shape::Box {
                        area,
                        radius: 9.0,
                        fill: None,
                        stroke: Some(Stroke::new(Ink::Frame, 1.2)),
                    },
                    Shape::Text(text),
                ],
            });
        }
    }

    fn wans(&self, scene: &mut Scene, lit: Option<&Lit>) {
        for (place, (_, wan)) in self.fabric.wans().enumerate() {
            let devices = wan.ends.map(|end| self.fabric.port(end.value).device);
            let nodes = devices.map(|device| self.plan.node_of(device));
            let [Some(a), Some(b)] = nodes else { continue };
            let areas = [a, b].map(|node| self.plan.nodes[node].area);
            let depth = 26.0 + 20.0 * place as f64;
            let [from, to] = if areas[0].x < areas[1].x { areas } else { [areas[1], areas[0]] };
            let inset = 10.0 + 8.0 * place as f64;
            // From below, where the fewest lines are to the side.
            let start = Point::new(from.right() - inset, from.bottom());
            let end = Point::new(to.x + inset, to.bottom());
            let low = start.y.max(end.y) + depth;
            let name = wan.name.value.to_string();
            let ends = wan.ends.map(|end| self.fabric.port_label(end.value));
            let mut details = format!("the WAN path {name}, {} to {}", ends[0], ends[1]);
            if let Some(delay) = wan.delay {
                let _ = write!(details, ", {}", delay.value);
            }
            let bottom = 0.25 * start.y.max(end.y) + 0.75 * low;
            let middle = Point::new(f64::midpoint(start.x, end.x), bottom + 3.0);
            let words = format!("WAN {name}");
            let wide = width(&words, PORT_SIZE, false) + 6.0;
            let label = Area::new(middle.x - wide / 2.0, middle.y - 9.0, wide, 12.0);
            scene.add(Item {
                of: vec![name],
                details,
                faded: is_faded(lit, &devices),
                shapes: vec![
                    Shape::Curve {
                        points: [start, Point::new(start.x, low), Point::new(end.x, low), end],
                        stroke: Stroke::new(Ink::Line, 1.4).dashed(),
                        arrow: false,
                    },
                    Shape::Box { area: label, radius: 0.0, fill: Some(Ink::Paper), stroke: None },
                    Shape::Text(Text::new(middle, PORT_SIZE, words).middle().ink(Ink::Quiet)),
                ],
            });
        }
    }

    fn line(&self, scene: &mut Scene, line: &Line, lit: Option<&Lit>) {
        let wire = &self.plan.wires[line.wire];
        let [from, to] = line.points;
        let arc = line.edges == [Edge::Bottom, Edge::Bottom];
        // Two ways over one cable go side by side.
        let path = |stroke: Stroke, arrow: bool, turned: bool, aside: f64| {
            let length = (to.x - from.x).hypot(to.y - from.y).max(1.0);
            let (dx, dy) = ((to.y - from.y) / length * aside, (from.x - to.x) / length * aside);
            let (from, to) =
                (Point::new(from.x + dx, from.y + dy), Point::new(to.x + dx, to.y + dy));
            let (from, to) = if turned { (to, from) } else { (from, to) };
            match arc {
                true => {
                    let low = from.y.max(to.y) + 22.0 + (from.x - to.x).abs() * 0.04;
                    let points = [from, Point::new(from.x, low), Point::new(to.x, low), to];
                    Shape::Curve { points, stroke, arrow }
                }
                false => Shape::Line { points: vec![from, to], stroke, arrow },
            }
        };
        let cables = line.cable.as_ref().map_or(&wire.cables[..], std::slice::from_ref);
        let up = cables.iter().any(|&cable| self.is_up(cable));
        let speed = cables.iter().map(|&cable| self.megabits(cable)).max().unwrap_or(0);
        let weight = weight(speed) + if line.cable.is_none() { 1.4 } else { 0.0 };
        let stroke = match up {
            true => Stroke::new(Ink::Line, weight),
            false => Stroke::new(Ink::Faint, weight).dashed(),
        };
        let ways: Vec<(Ink, PortId)> =
            cables.iter().filter_map(|cable| lit?.cables.get(cable)).flatten().copied().collect();
        let mut shapes = vec![path(stroke, false, false, 0.0)];
        let devices = wire.ends.iter().flat_map(|&node| &self.plan.nodes[node].devices);
        let faded = lit.is_some() && ways.is_empty();
        let of = devices.map(|&device| self.fabric.device_name(device).to_owned());
        // A fold is found by its box.
        let of: Vec<String> = if line.cable.is_some() { of.collect() } else { Vec::new() };
        for &(ink, leaves) in &ways {
            let first = &self.plan.nodes[wire.ends[0]].devices;
            let forth = first.contains(&self.fabric.port(leaves).device);
            let aside = match (ways.len(), ink) {
                (1, _) => 0.0,
                (_, Ink::Back) => 3.0,
                _ => -3.0,
            };
            shapes.push(path(Stroke::new(ink, 3.0), true, !forth, aside));
        }
        scene.add(Item { of, details: self.details(cables), faded, shapes });
    }

    /// How many cables a line stands for, beside its lower end.
    fn count(&self, scene: &mut Scene, line: &Line, lit: Option<&Lit>) {
        if line.cable.is_some() {
            return;
        }
        let cables = &self.plan.wires[line.wire].cables;
        let speed = cables.iter().map(|&cable| self.megabits(cable)).max().unwrap_or(0);
        let [from, to] = line.points;
        let (upper, lower) = if from.y < to.y { (from, to) } else { (to, from) };
        let at =
            Point::new(upper.x + (lower.x - upper.x) * 0.72, upper.y + (lower.y - upper.y) * 0.72);
        let words = format!("{} \u{d7} {}", cables.len(), rate(speed));
        let wide = width(&words, PORT_SIZE, false) + 6.0;
        let area = Area::new(at.x - wide / 2.0, at.y - 7.0, wide, 13.0);
        let text = Text::new(Point::new(at.x, at.y + 3.0), PORT_SIZE, words);
        scene.add(Item {
            faded: lit.is_some_and(|lit| !cables.iter().any(|c| lit.cables.contains_key(c))),
            shapes: vec![
                Shape::Box { area, radius: 3.0, fill: Some(Ink::Paper), stroke: None },
                Shape::Text(text.middle().ink(Ink::Quiet)),
            ],
            ..Item::default()
        });
    }

    fn details(&self, cables: &[CableId]) -> String {
        let [cable] = cables else { return format!("{} cables", cables.len()) };
        let made = self.fabric.cable(*cable);
        let ends = made.ends.map(|end| self.fabric.port_label(end.value));
        let mut text = format!("{} \u{2013} {}, {}", ends[0], ends[1], rate(self.megabits(*cable)));
        if let Some(label) = &made.label {
            let _ = write!(text, ", label {}", label.value);
        }
        if !self.is_up(*cable) {
            text.push_str(", no link");
        }
        text
    }

    fn is_up(&self, cable: CableId) -> bool {
        let [a, b] = self.fabric.cable(cable).ends.map(|end| end.value);
        self.state.plugged(a) == Some(b)
    }

    fn megabits(&self, cable: CableId) -> u32 {
        let ends = self.fabric.cable(cable).ends;
        ends.iter().map(|end| self.fabric.port(end.value).speed.megabits()).min().unwrap_or(0)
    }

    /// The ports of a line at one of its ends.
    fn port_at(&self, line: &Line, end: usize) -> Option<PortId> {
        let node = &self.plan.nodes[self.plan.wires[line.wire].ends[end]];
        let ends = self.fabric.cable(line.cable?).ends;
        ends.iter()
            .map(|end| end.value)
            .find(|&port| node.devices.contains(&self.fabric.port(port).device))
    }

    /// LAGs and bonds, each a ring around the cables that it binds.
    fn ties(&self, scene: &mut Scene, lit: Option<&Lit>) {
        let mut bound: BTreeMap<(LagId, Edge, usize), Vec<Bound>> = BTreeMap::new();
        for (at, line) in self.lines.iter().enumerate() {
            for end in 0..2 {
                let lag = self.port_at(line, end).and_then(|port| self.fabric.lag_of(port));
                if let Some(lag) = lag {
                    let node = self.plan.wires[line.wire].ends[end];
                    let points = (line.points[end], line.points[1 - end], at);
                    bound.entry((lag, line.edges[end], node)).or_default().push(points);
                }
            }
        }
        for ((lag, edge, _), lines) in bound {
            if lines.len() < 2 {
                continue;
            }
            let out = if edge == Edge::Top || edge == Edge::Bottom { 15.0 } else { 9.0 };
            // Where each line is as far out from the edge.
            let along = lines.iter().map(|&(near, far, _)| {
                let length = (far.x - near.x).hypot(far.y - near.y).max(1.0);
                let reach = match edge {
                    Edge::Top | Edge::Bottom => out / (far.y - near.y).abs().max(1.0),
                    Edge::Left | Edge::Right => out / (far.x - near.x).abs().max(1.0),
                }
                .min(30.0 / length);
                Point::new(near.x + (far.x - near.x) * reach, near.y + (far.y - near.y) * reach)
            });
            let along: Vec<Point> = along.collect();
            let least = |of: fn(&Point) -> f64| along.iter().map(of).fold(f64::MAX, f64::min);
            let most = |of: fn(&Point) -> f64| along.iter().map(of).fold(f64::MIN, f64::max);
            let (left, right) = (least(|p| p.x), most(|p| p.x));
            let (top, bottom) = (least(|p| p.y), most(|p| p.y));
            let area = Area::new(left, top, right - left, bottom - top);
            let area = match edge {
                Edge::Top | Edge::Bottom => {
                    Area::new(area.x - 5.0, area.middle().y - 3.0, area.width + 10.0, 6.0)
                }
                Edge::Left | Edge::Right => {
                    Area::new(area.middle().x - 3.0, area.y - 5.0, 6.0, area.height + 10.0)
                }
            };
            let made = self.fabric.lag(lag);
            let name = self.fabric.lag_label(lag);
            let lit_up = lit.is_some_and(|lit| {
                lines.iter().any(|&(_, _, line)| {
                    self.lines[line].cable.is_some_and(|cable| lit.cables.contains_key(&cable))
                })
            });
            scene.add(Item {
                of: vec![name.clone()],
                details: format!("the LAG {name}, {}", made.protocol.value.word()),
                faded: lit.is_some() && !lit_up,
                shapes: vec![Shape::Box {
                    area,
                    radius: 3.0,
                    fill: None,
                    stroke: Some(Stroke::new(Ink::Tie, 1.5)),
                }],
            });
        }
    }

    fn node(&self, scene: &mut Scene, at: usize, lit: Option<&Lit>) {
        let node = &self.plan.nodes[at];
        let area = node.area;
        let (fill, radius) = match node.kind {
            Kind::Switch => (Ink::Switch, 3.0),
            Kind::Border | Kind::Router => (Ink::Border, 3.0),
            Kind::Host => (Ink::Host, 12.0),
            Kind::Fold(_) => (Ink::Fold, 3.0),
        };
        let stroke =
            Stroke::new(Ink::Line, if matches!(node.kind, Kind::Host) { 0.9 } else { 1.3 });
        let mut shapes = Vec::new();
        if matches!(node.kind, Kind::Fold(_)) {
            for offset in [6.0, 3.0] {
                shapes.push(Shape::Box {
                    area: Area::new(
                        area.x + offset,
                        area.y - offset,
                        area.width - offset,
                        area.height,
                    ),
                    radius,
                    fill: Some(fill),
                    stroke: Some(Stroke::new(Ink::Line, 0.8)),
                });
            }
        }
        shapes.push(Shape::Box { area, radius, fill: Some(fill), stroke: Some(stroke) });
        let members = match node.devices[..] {
            [device] => self.fabric.device(device).stack.map(|id| self.fabric.stack(id)),
            _ => None,
        };
        // A stack shows what it is made of: as many slices as it has members.
        if let Some(stack) = members {
            let height = area.height / stack.members.len().max(1) as f64;
            for slice in 0..stack.members.len() {
                let y = area.y + height * slice as f64;
                shapes.push(Shape::Box {
                    area: Area::new(area.x - 7.0, y, 7.0, height),
                    radius: 0.0,
                    fill: Some(Ink::Frame),
                    stroke: Some(Stroke::new(Ink::Paper, 1.2)),
                });
            }
        }
        let mut middle = area.middle();
        // Port names on one side push the name to the other.
        let aside = |edge: Edge| f64::from(u8::from(self.ends.contains_key(&(at, edge))));
        middle.x += (aside(Edge::Left) - aside(Edge::Right)) * f64::midpoint(node.slot, 2.0);
        let name = fitted(&node.name, NAME_SIZE, true, area.width - 6.0);
        match &node.kind {
            Kind::Fold(words) => {
                let (a, b) =
                    (Point::new(middle.x, middle.y - 2.0), Point::new(middle.x, middle.y + 12.0));
                shapes.push(Shape::Text(Text::new(a, NAME_SIZE, name).bold().middle()));
                let words = fitted(words, PORT_SIZE, false, area.width - 6.0);
                shapes.push(Shape::Text(Text::new(b, PORT_SIZE, words).middle().ink(Ink::Quiet)));
            }
            Kind::Host => {
                let at = Point::new(middle.x, middle.y + 8.0);
                shapes.push(Shape::Text(Text::new(at, NAME_SIZE - 1.0, name).middle()));
            }
            _ => {
                let at = Point::new(middle.x, middle.y + 4.0);
                shapes.push(Shape::Text(Text::new(at, NAME_SIZE, name).bold().middle()));
            }
        }
        let of = node.devices.iter().map(|&device| self.fabric.device_name(device).to_owned());
        scene.add(Item {
            of: of.collect(),
            details: self.about(at),
            faded: is_faded(lit, &node.devices),
            shapes,
        });
    }

    fn about(&self, at: usize) -> String {
        let node = &self.plan.nodes[at];
        let [device] = node.devices[..] else {
            let names = node.devices.iter().map(|&device| self.fabric.device_name(device));
            let shown: Vec<&str> = names.take(12).collect();
            let more = node.devices.len() - shown.len();
            let more = if more > 0 { format!(" and {more} more") } else { String::new() };
            return format!("{}: {}{more}", node.name, shown.join(", "));
        };
        let made = self.fabric.device(device);
        let mut parts = vec![made.name.value.to_string()];
        parts.extend(made.role.map(|role| role.value.word().to_owned()));
        parts.extend(made.hardware.map(|hardware| {
            format!("hardware {}", self.fabric.hardware_kind(hardware.value).name.value)
        }));
        parts.extend(
            made.stack
                .map(|stack| format!("a stack of {}", self.fabric.stack(stack).members.len())),
        );
        parts.extend(made.rack.as_ref().map(|rack| format!("rack {}", rack.value)));
        let router = self.fabric.router_of(device);
        parts.extend(
            router.and_then(|router| router.as_number).map(|asn| format!("AS {}", asn.value)),
        );
        parts.extend(self.fabric.vtep_of(device).map(|vtep| format!("VTEP {}", vtep.value)));
        parts.join(", ")
    }

    fn port_names(&self, scene: &mut Scene, line: &Line, lit: Option<&Lit>) {
        let Some(cable) = line.cable else { return };
        let faded = lit.is_some_and(|lit| !lit.cables.contains_key(&cable));
        let mut shapes = Vec::new();
        for end in 0..2 {
            let Some(port) = self.port_at(line, end) else { continue };
            let node = self.plan.wires[line.wire].ends[end];
            let name = self.fabric.port_name(port);
            if !self.has_room(node, line.edges[end], name) {
                continue;
            }
            let (at, edge) = (line.points[end], line.edges[end]);
            let text = |x: f64, y: f64| {
                Text::new(Point::new(at.x + x, at.y + y), PORT_SIZE, name).ink(Ink::Quiet)
            };
            shapes.push(Shape::Text(match edge {
                Edge::Top => text(0.0, 10.0).middle(),
                Edge::Bottom => text(0.0, -4.0).middle(),
                Edge::Left => text(3.0, 3.0),
                Edge::Right => text(-3.0, 3.0).end(),
            }));
        }
        scene.add(Item { faded, shapes, ..Item::default() });
    }

    /// Whether the ports of an edge are far enough apart for their names.
    fn has_room(&self, node: usize, edge: Edge, name: &str) -> bool {
        let plan = &self.plan;
        let count = self.ends.get(&(node, edge)).copied().unwrap_or(1) as f64;
        let area = plan.nodes[node].area;
        match edge {
            Edge::Top | Edge::Bottom => {
                width(name, PORT_SIZE, false) + 2.0
                    <= (area.width / count).min(plan.nodes[node].slot)
            }
            Edge::Left | Edge::Right => count * 10.0 <= area.height - 22.0,
        }
    }

    /// Where a device or a pair is.
    pub(super) fn place_of(&self, name: &str) -> Option<Area> {
        if let Some(device) = self.fabric.find_device(name) {
            return self.plan.node_of(device).map(|node| self.plan.nodes[node].area);
        }
        let unit =
            self.plan.units.iter().find(|unit| {
                unit.pair.is_some_and(|pair| self.fabric.pair(pair).name.value == name)
            })?;
        let (first, last) = (unit.nodes.first()?, unit.nodes.last()?);
        let (a, b) = (self.plan.nodes[*first].area, self.plan.nodes[*last].area);
        Some(Area::new(a.x, a.y, b.right() - a.x, a.height))
    }

    /// The rates that lines have, for the legend.
    pub(super) fn rates(&self) -> Vec<u32> {
        let cables = self.plan.wires.iter().flat_map(|wire| &wire.cables);
        let mut rates: Vec<u32> = cables.map(|&cable| self.megabits(cable)).collect();
        rates.sort_unstable();
        rates.dedup();
        rates
    }

    /// What the shapes mean, at the bottom; returns how much room it took.
    pub(super) fn legend(&self, scene: &mut Scene, y: f64) -> f64 {
        let mut x = MARGIN;
        let mut shapes = Vec::new();
        let say = |shapes: &mut Vec<Shape>, x: &mut f64, words: &str| {
            let at = Point::new(*x, y + 4.0);
            shapes.push(Shape::Text(Text::new(at, 10.0, words).ink(Ink::Quiet)));
            *x += width(words, 10.0, false) + 18.0;
        };
        for speed in self.rates() {
            let points = vec![Point::new(x, y), Point::new(x + 26.0, y)];
            let stroke = Stroke::new(Ink::Line, weight(speed));
            shapes.push(Shape::Line { points, stroke, arrow: false });
            x += 32.0;
            say(&mut shapes, &mut x, &rate(speed));
        }
        if self.fabric.lags().len() > 0 {
            for line in [-3.0, 3.0] {
                let points = vec![Point::new(x, y + line), Point::new(x + 22.0, y + line)];
                let stroke = Stroke::new(Ink::Line, 1.2);
                shapes.push(Shape::Line { points, stroke, arrow: false });
            }
            let area = Area::new(x + 8.0, y - 8.0, 6.0, 16.0);
            let stroke = Some(Stroke::new(Ink::Tie, 1.5));
            shapes.push(Shape::Box { area, radius: 3.0, fill: None, stroke });
            x += 28.0;
            say(&mut shapes, &mut x, "LAG");
        }
        if self.plan.units.iter().any(|unit| unit.pair.is_some()) {
            let area = Area::new(x, y - 7.0, 24.0, 14.0);
            let stroke = Some(Stroke::new(Ink::Frame, 1.2));
            shapes.push(Shape::Box { area, radius: 5.0, fill: None, stroke });
            x += 30.0;
            say(&mut shapes, &mut x, "pair");
        }
        if self.fabric.cables().any(|(id, _)| !self.is_up(id)) {
            let points = vec![Point::new(x, y), Point::new(x + 26.0, y)];
            let stroke = Stroke::new(Ink::Faint, 1.4).dashed();
            shapes.push(Shape::Line { points, stroke, arrow: false });
            x += 32.0;
            say(&mut shapes, &mut x, "no link");
        }
        scene.plain(shapes);
        scene.cover(Area::new(0.0, 0.0, x, y + 8.0), MARGIN);
        22.0
    }
}

fn is_faded<'d>(lit: Option<&Lit>, devices: impl IntoIterator<Item = &'d DeviceId>) -> bool {
    lit.is_some_and(|lit| !devices.into_iter().any(|device| lit.devices.contains(device)))
}

/// How thick a line is for a rate in megabits per second.
fn weight(megabits: u32) -> f64 {
    match megabits {
        0..=1_000 => 0.8,
        1_001..=10_000 => 1.1,
        10_001..=25_000 => 1.5,
        25_001..=50_000 => 2.0,
        50_001..=100_000 => 2.6,
        _ => 3.4,
    }
}

fn rate(megabits: u32) -> String {
    match megabits {
        whole if whole >= 1000 && whole % 1000 == 0 => format!("{}G", whole / 1000),
        other => format!("{other}M"),
    }
}

#[cfg(test)]
mod tests {
    use felting::scaffold::Scaffold;
    use felting::{Condition, Progress};

    use super::*;

    fn drawn(text: &str) -> (Fabric, State) {
        let fabric = Fabric::from_text("test.toml", text);
        assert!(fabric.is_complete(), "{:?}", fabric.faults());
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        (fabric, state)
    }

    fn hold(state: &State) {
        let fabric = state.fabric();
        let cabled = Cabled::new(state, &Focus::default());
        let nodes = &cabled.plan.nodes;
        for (at, one) in nodes.iter().enumerate() {
            for other in &nodes[at + 1..] {
                assert!(!one.area.overlaps(other.area), "{} over {}", one.name, other.name);
            }
        }
        // Every device is in one box, and every line ends on the edges of its boxes.
        for (id, device) in fabric.devices() {
            assert!(cabled.plan.node_of(id).is_some(), "{}", device.name.value);
        }
        for line in &cabled.lines {
            for (point, node) in line.points.iter().zip(cabled.plan.wires[line.wire].ends) {
                assert!(
                    nodes[node].area.grown(0.5).overlaps(Area::new(point.x, point.y, 0.1, 0.1))
                );
            }
        }
    }

    #[test]
    fn nothing_overlaps() {
        let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
        for name in ["saltmarsh", "saltmarsh-stormy"] {
            let fabric = Fabric::from_path(root.join(name).join("fabric.toml"));
            hold(&State::of(&fabric, &Condition::default(), &Progress::default()));
        }
        for plan in [
            Scaffold::default(),
            Scaffold { pairs: 32, hosts: 200, spines: 4, ..Scaffold::default() },
            Scaffold { pairs: 0, leaves: 5, hosts: 9, ..Scaffold::default() },
            Scaffold { pods: 6, super_spines: 4, pairs: 8, hosts: 96, ..Scaffold::default() },
        ] {
            let (_, state) = drawn(&plan.to_toml().unwrap_or_default());
            hold(&state);
        }
    }

    #[test]
    fn what_is_many_and_alike_folds() {
        let plan = Scaffold { pairs: 32, hosts: 256, ..Default::default() };
        let (_, state) = drawn(&plan.to_toml().unwrap_or_default());
        let cabled = Cabled::new(&state, &Focus::default());
        let names: Vec<&str> = cabled.plan.nodes.iter().map(|node| node.name.as_str()).collect();
        assert!(names.contains(&"28 more pairs like these"), "{names:?}");
        assert!(names.contains(&"8 hosts"), "{names:?}");
        assert!(cabled.size().0 < 1600.0, "{:?}", cabled.size());
        // What is asked for stands by itself.
        let kept = state.fabric().find_device("leaf-20a").into_iter().collect();
        let cabled = Cabled::new(&state, &Focus::way(kept));
        assert!(cabled.plan.nodes.iter().any(|node| node.name == "leaf-20a"));
    }
}
