//! The tenants: VRFs with their segments, what leaks between them, and the ways out.

use std::collections::BTreeMap;

use felting::fabric::{DeviceId, Leak, SegmentId, Selection, VrfId};
use felting::{Fabric, State};

use super::cabling::{HEAD, MARGIN};
use super::measure::{fitted, width};
use super::part::Tenancy;
use super::scene::{Area, Ink, Item, Point, Scene, Shape, Stroke, Text};
use super::{Drawing, Nothing, of_part, titled};

const VRFS_SHOWN: usize = 14;
const SEGMENTS_SHOWN: usize = 9;
/// Left of the cards, for leaks.
const GUTTER: f64 = 120.0;
const CARD: f64 = 770.0;
const HEADING: f64 = 26.0;
const ROW: f64 = 20.0;
const GAP: f64 = 18.0;

/// Where the columns of a card begin.
const COLUMNS: [f64; 4] = [12.0, 150.0, 300.0, 510.0];

/// The VRFs with their segments, subnets, gateways and VNIs, the leaks between them, the ways out. Of a part of the
/// fabric: its VRFs and segments, and those on its switches.
///
/// # Errors
///
/// If there is neither a VRF nor a segment.
pub fn tenants(state: &State, only: Option<&Selection>) -> Result<Drawing, Nothing> {
    let fabric = state.fabric();
    if fabric.vrfs().len() + fabric.segments().len() == 0 {
        return Err(Nothing::Tenants);
    }
    let part = Tenancy::of(fabric, only);
    let mut segments: BTreeMap<Option<VrfId>, Vec<SegmentId>> = BTreeMap::new();
    for (id, segment) in fabric.segments().filter(|(id, _)| part.shows_segment(*id)) {
        segments.entry(segment.vrf.map(|vrf| vrf.value)).or_default().push(id);
    }
    let vrfs: Vec<VrfId> =
        fabric.vrfs().map(|(id, _)| id).filter(|&id| part.shows_vrf(id)).collect();
    if vrfs.is_empty() && segments.is_empty() {
        return Err(Nothing::Part("VRF or segment"));
    }
    let mut scene = titled(fabric, &of_part("tenants", only));
    let mut y = HEAD + 4.0;
    let mut cards: BTreeMap<VrfId, Area> = BTreeMap::new();
    let leaks_here = |(_, leak): (_, &Leak)| {
        [leak.from.value, leak.to.value].iter().all(|&vrf| part.shows_vrf(vrf))
    };
    let gutter = if fabric.leaks().any(leaks_here) { GUTTER } else { 0.0 };
    for &id in vrfs.iter().take(VRFS_SHOWN) {
        let own = segments.remove(&Some(id)).unwrap_or_default();
        let area = card(&mut scene, state, Some(id), &own, Point::new(MARGIN + gutter, y));
        cards.insert(id, area);
        let out = outsides(&mut scene, state, id, area);
        y = area.bottom().max(out) + GAP;
    }
    if vrfs.len() > VRFS_SHOWN {
        let words = format!("and {} more VRFs", vrfs.len() - VRFS_SHOWN);
        let at = Point::new(MARGIN + gutter, y + 6.0);
        scene.text(Text::new(at, 11.0, words).ink(Ink::Quiet));
        y += 24.0;
    }
    if let Some(own) = segments.get(&None) {
        let area = card(&mut scene, state, None, own, Point::new(MARGIN + gutter, y));
        y = area.bottom() + GAP;
    }
    leaks(&mut scene, fabric, &cards);
    scene.cover(Area::new(0.0, 0.0, MARGIN + gutter + CARD, y - GAP), MARGIN);
    Ok(Drawing { scene })
}

fn card(
    scene: &mut Scene,
    state: &State,
    vrf: Option<VrfId>,
    segments: &[SegmentId],
    at: Point,
) -> Area {
    let fabric = state.fabric();
    let shown = segments.len().min(SEGMENTS_SHOWN);
    let more = segments.len() - shown;
    let rows = (shown.max(1) + usize::from(more > 0)) as f64;
    let area = Area::new(at.x, at.y, CARD, HEADING + rows * ROW + 8.0);
    let heading = Area::new(at.x, at.y, CARD, HEADING);
    let mut shapes = vec![
        Shape::Box { area, radius: 5.0, fill: Some(Ink::Paper), stroke: None },
        Shape::Box { area: heading, radius: 5.0, fill: Some(Ink::Switch), stroke: None },
        Shape::Box { area, radius: 5.0, fill: None, stroke: Some(Stroke::new(Ink::Line, 1.3)) },
    ];
    let (name, says) = match vrf.map(|id| fabric.vrf(id)) {
        Some(made) => {
            let vni = made.vni.map(|vni| format!("layer 3 VNI {}", vni.value));
            let off = made.switches.iter().filter(|at| state.is_off(at.switch)).count();
            let on = match (made.switches.len(), off) {
                (1, 0) => "on 1 switch".to_owned(),
                (count, 0) => format!("on {count} switches"),
                (count, off) => format!("on {} of {count} switches", count - off),
            };
            let says: Vec<String> = vni.into_iter().chain([on]).collect();
            (format!("VRF {}", made.name.value), says.join(", "))
        }
        None => ("in no VRF".to_owned(), "bridged only".to_owned()),
    };
    let y = at.y + 17.5;
    shapes.push(Shape::Text(Text::new(Point::new(at.x + 12.0, y), 12.5, name.clone()).bold()));
    let says_at = Point::new(area.right() - 12.0, y);
    shapes.push(Shape::Text(Text::new(says_at, 10.0, says).end().ink(Ink::Quiet)));
    let of = vrf.map(|id| fabric.vrf(id).name.value.to_string());
    scene.add(Item { of: of.into_iter().collect(), details: name, faded: false, shapes });
    for (place, &id) in segments.iter().take(shown).enumerate() {
        let y = at.y + HEADING + 4.0 + ROW * place as f64;
        segment(scene, fabric, id, at.x, y);
    }
    let note = match (segments.is_empty(), more) {
        (true, _) => "no segments".to_owned(),
        (false, 0) => String::new(),
        (false, more) => format!("and {more} more segments"),
    };
    let y = at.y + HEADING + 18.0 + ROW * shown as f64;
    scene.text(Text::new(Point::new(at.x + 12.0, y), 10.0, note).ink(Ink::Quiet));
    area
}

fn segment(scene: &mut Scene, fabric: &Fabric, id: SegmentId, x: f64, y: f64) {
    let made = fabric.segment(id);
    let vlan = made.vlan.map(|vlan| format!("VLAN {}", vlan.value));
    let vni = made.vni.map(|vni| format!("VNI {}", vni.value));
    let numbers: Vec<String> = [vlan, vni].into_iter().flatten().collect();
    let list = |all: Vec<String>, none: &str| {
        if all.is_empty() { none.to_owned() } else { all.join(", ") }
    };
    let subnets = made.subnets.iter().map(|subnet| subnet.value.to_string()).collect();
    let gateways: Vec<String> = made.gateways.iter().map(|one| one.value.to_string()).collect();
    let gateways = match gateways.is_empty() {
        true => "no gateway".to_owned(),
        false => format!("gateway {}", gateways.join(", ")),
    };
    let name = made.name.value.to_string();
    let cells = [name.clone(), numbers.join(", "), list(subnets, "no subnet"), gateways.clone()];
    let area = Area::new(x + 4.0, y, CARD - 8.0, ROW);
    let mut shapes = vec![Shape::Box { area, radius: 3.0, fill: None, stroke: None }];
    let ends = COLUMNS.iter().skip(1).copied().chain([CARD]);
    for ((start, end), cell) in COLUMNS.iter().copied().zip(ends).zip(&cells) {
        let bold = start < 20.0;
        let room = end - start - 10.0;
        // Two addresses may be longer than their column; the size gives a little first.
        let size = if width(cell, 10.5, bold) > room { 9.0 } else { 10.5 };
        let mut text =
            Text::new(Point::new(x + start, y + 14.0), size, fitted(cell, size, bold, room));
        text.bold = bold;
        text.ink = if bold { Ink::Text } else { Ink::Quiet };
        shapes.push(Shape::Text(text));
    }
    let details = format!("{}: {}, {}, {}", cells[0], cells[1], cells[2], gateways);
    scene.add(Item { of: vec![name], details, faded: false, shapes });
}

/// The networks outside that a VRF reaches, right of its card; returns how far down they go.
fn outsides(scene: &mut Scene, state: &State, vrf: VrfId, card: Area) -> f64 {
    let fabric = state.fabric();
    let mut y = card.y;
    for (id, outside) in fabric.outsides().filter(|(_, outside)| outside.vrf.value == vrf) {
        let area = Area::new(card.right() + 96.0, y, 250.0, 42.0);
        let leads = |switch: &&DeviceId| state.way_out(id, **switch).is_some();
        let on: Vec<&str> =
            outside.on.iter().filter(leads).map(|&switch| fabric.device_name(switch)).collect();
        let words = match on.len() {
            0 => "no way is up".to_owned(),
            1..=2 => on.join(", "),
            count => format!("{count} switches"),
        };
        let from = Point::new(card.right(), area.middle().y);
        let to = Point::new(area.x, area.middle().y);
        let prefixes: Vec<String> =
            outside.prefixes.iter().map(|prefix| prefix.value.to_string()).collect();
        let name = outside.name.value.to_string();
        let name_at = Point::new(area.x + 12.0, area.y + 17.0);
        let says = fitted(&prefixes.join(", "), 9.5, false, area.width - 20.0);
        let says_at = Point::new(area.x + 12.0, area.y + 32.0);
        let by_at = Point::new(f64::midpoint(from.x, to.x), from.y - 5.0);
        scene.add(Item {
            details: format!("{name}, outside: {} by {}", prefixes.join(", "), words),
            of: vec![name.clone()],
            faded: on.is_empty(),
            shapes: vec![
                Shape::Line {
                    points: vec![from, to],
                    stroke: Stroke::new(Ink::Line, 1.3),
                    arrow: true,
                },
                Shape::Text(
                    Text::new(by_at, 9.0, fitted(&words, 9.0, false, 92.0))
                        .middle()
                        .ink(Ink::Quiet),
                ),
                Shape::Box {
                    area,
                    radius: 14.0,
                    fill: Some(Ink::Border),
                    stroke: Some(Stroke::new(Ink::Line, 1.2)),
                },
                Shape::Text(Text::new(name_at, 12.0, fitted(&name, 12.0, true, 226.0)).bold()),
                Shape::Text(Text::new(says_at, 9.5, says).ink(Ink::Quiet)),
            ],
        });
        scene.cover(area, MARGIN);
        y = area.bottom() + 10.0;
    }
    y
}

/// A leak to draw: what it gives, and whether as much comes back.
struct Bow {
    ends: [VrfId; 2],
    what: String,
    both_ways: bool,
}

/// The leaks between VRFs that have a card.
fn bows(fabric: &Fabric, cards: &BTreeMap<VrfId, Area>) -> Vec<Bow> {
    let mut bows: Vec<Bow> = Vec::new();
    let has_card = |vrf: VrfId| cards.contains_key(&vrf);
    let shown = |leak: &Leak| has_card(leak.from.value) && has_card(leak.to.value);
    for (_, leak) in fabric.leaks().filter(|(_, leak)| shown(leak)) {
        let prefixes = leak.prefixes.as_ref().map(|all| {
            all.iter().map(|prefix| prefix.value.to_string()).collect::<Vec<_>>().join(", ")
        });
        let what = prefixes.unwrap_or_else(|| "all routes".to_owned());
        let ends = [leak.from.value, leak.to.value];
        let reverse = bows
            .iter_mut()
            .find(|bow| bow.ends == [ends[1], ends[0]] && bow.what == what && !bow.both_ways);
        match reverse {
            Some(bow) => bow.both_ways = true,
            None => bows.push(Bow { ends, what, both_ways: false }),
        }
    }
    bows
}

/// Leaks, as bows left of the cards; each at a height of its own.
fn leaks(scene: &mut Scene, fabric: &Fabric, cards: &BTreeMap<VrfId, Area>) {
    let mut used: BTreeMap<VrfId, usize> = BTreeMap::new();
    for (place, bow) in bows(fabric, cards).into_iter().enumerate() {
        let [Some(&from), Some(&to)] = bow.ends.map(|vrf| cards.get(&vrf)) else { continue };
        let mut height = |vrf: VrfId, area: Area| {
            let count = used.entry(vrf).or_default();
            let y = area.y + 13.0 + 17.0 * *count as f64;
            *count += 1;
            y.min(area.bottom() - 6.0)
        };
        let start = Point::new(from.x, height(bow.ends[0], from));
        let end = Point::new(to.x, height(bow.ends[1], to));
        let depth = 38.0 + 28.0 * (place % 3) as f64;
        let x = start.x - depth * 4.0 / 3.0;
        let names = bow.ends.map(|vrf| fabric.vrf(vrf).name.value.to_string());
        let label = fitted(&bow.what, 9.0, false, 104.0);
        let wide = width(&label, 9.0, false) + 6.0;
        let middle = Point::new(start.x - depth, f64::midpoint(start.y, end.y));
        let left = (middle.x - wide / 2.0).max(4.0);
        let stroke = Stroke::new(Ink::Relation, 1.6);
        let bent = |from: Point, to: Point| Shape::Curve {
            points: [from, Point::new(x, from.y), Point::new(x, to.y), to],
            stroke,
            arrow: true,
        };
        let way = if bow.both_ways { "and" } else { "to" };
        let back = bow.both_ways.then(|| bent(end, start));
        let mut shapes: Vec<Shape> = std::iter::once(bent(start, end)).chain(back).collect();
        shapes.push(Shape::Box {
            area: Area::new(left, middle.y - 7.0, wide, 13.0),
            radius: 3.0,
            fill: Some(Ink::Paper),
            stroke: None,
        });
        let at = Point::new(left + wide / 2.0, middle.y + 3.0);
        shapes.push(Shape::Text(Text::new(at, 9.0, label).middle().ink(Ink::Relation)));
        scene.add(Item {
            of: names.to_vec(),
            details: format!("leak of {}: {} {way} {}", bow.what, names[0], names[1]),
            faded: false,
            shapes,
        });
    }
}
