//! The overlay: which VTEP holds which segment and VRF, and by which sessions EVPN comes to it.

use std::collections::{BTreeMap, BTreeSet};

use felting::fabric::{DeviceId, SegmentId, Selection, VrfId};
use felting::value::Family;
use felting::{Fabric, State};

use super::cabling::{HEAD, MARGIN};
use super::measure::{fitted, width};
use super::part::Tenancy;
use super::scene::{Area, Ink, Item, Point, Scene, Shape, Stroke, Text};
use super::{Drawing, Nothing, of_part, titled};

/// As many VTEPs that are not alike are drawn.
const VTEPS_SHOWN: usize = 14;
/// As many rows.
const ROWS_SHOWN: usize = 34;
const SPEAKERS_SHOWN: usize = 8;
const NAMES: f64 = 250.0;
const ROW: f64 = 20.0;

/// A VTEP: a switch, or the two of a pair that share an address; or several that are alike.
struct Column {
    name: String,
    about: String,
    switches: Vec<DeviceId>,
    /// How many VTEPs it stands for.
    count: usize,
}

/// What a VTEP has of a segment or VRF.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Holds {
    /// All of its switches, with the usual VNI.
    All,
    /// Not all of its switches, or with another VNI.
    Partly,
    /// Only as a VLAN.
    Bare,
}

/// A row of the grid: a VRF, a segment, or several that are alike.
struct Row {
    name: String,
    says: String,
    of: Vec<String>,
    is_vrf: bool,
    holds: Vec<Option<Holds>>,
}

/// The overlay: VTEPs as columns, VRFs and segments as rows, and who tells the VTEPs of each other. Of a part of the
/// fabric: what its switches hold, and who holds its VRFs and segments.
///
/// # Errors
///
/// If there is no VTEP.
pub fn overlay(state: &State, only: Option<&Selection>) -> Result<Drawing, Nothing> {
    let fabric = state.fabric();
    let part = Tenancy::of(fabric, only);
    let mut columns = columns(fabric);
    if columns.is_empty() {
        return Err(Nothing::Overlay);
    }
    columns.retain(|column| column.switches.iter().any(|&switch| part.shows_switch(switch)));
    if columns.is_empty() {
        return Err(Nothing::Part("VTEP"));
    }
    let columns = fold(fabric, columns);
    let rows = rows(fabric, &columns, &part);
    let mut scene = titled(fabric, &of_part("overlay", only));
    let widest = columns.iter().map(|column| width(&column.name, 11.0, true) + 14.0);
    let about = columns.iter().map(|column| width(&column.about, 9.0, false) + 12.0);
    let slot = widest.chain(about).fold(84.0, f64::max).min(150.0) + 12.0;
    let x_of = |column: usize| MARGIN + NAMES + slot * column as f64;
    let top = sessions(&mut scene, state, &columns, slot, &x_of);
    heads(&mut scene, fabric, &columns, slot, top, &x_of);
    let mut y = top + 52.0;
    let right = x_of(0) + slot * columns.len() as f64 - 12.0;
    for row in &rows {
        y += if row.is_vrf { 10.0 } else { 0.0 };
        draw_row(&mut scene, row, y, slot, right, &x_of);
        y += ROW;
    }
    scene.cover(Area::new(0.0, 0.0, right, y), MARGIN);
    legend(&mut scene, y + 16.0);
    Ok(Drawing { scene })
}

fn columns(fabric: &Fabric) -> Vec<Column> {
    let mut columns: Vec<Column> = Vec::new();
    let mut of_pair: BTreeMap<(felting::fabric::PairId, Option<std::net::IpAddr>), usize> =
        BTreeMap::new();
    for (id, device) in fabric.devices() {
        if fabric.overlay_of(id).is_none() {
            continue;
        }
        let vtep = fabric.vtep_of(id).map(|vtep| vtep.value);
        let about = vtep.map_or_else(|| "no address".to_owned(), |vtep| vtep.to_string());
        let pair = device.pair.map(|(pair, _)| pair);
        if let Some(pair) = pair
            && let Some(&known) = of_pair.get(&(pair, vtep))
        {
            columns[known].switches.push(id);
            columns[known].name = fabric.pair(pair).name.value.to_string();
            continue;
        }
        if let Some(pair) = pair {
            of_pair.insert((pair, vtep), columns.len());
        }
        let name = device.name.value.to_string();
        columns.push(Column { name, about, switches: vec![id], count: 1 });
    }
    columns
}

/// Makes one of those that hold the same, where there are many.
fn fold(fabric: &Fabric, columns: Vec<Column>) -> Vec<Column> {
    if columns.len() <= VTEPS_SHOWN {
        return columns;
    }
    let mut alike: BTreeMap<Vec<SegmentId>, usize> = BTreeMap::new();
    let mut folded: Vec<Column> = Vec::new();
    for column in columns {
        let held: BTreeSet<SegmentId> = column
            .switches
            .iter()
            .flat_map(|&switch| fabric.presences_on(switch))
            .map(|&presence| fabric.presence(presence).segment)
            .collect();
        let key: Vec<SegmentId> = held.into_iter().collect();
        match alike.get(&key) {
            Some(&at) => {
                folded[at].count += 1;
                folded[at].switches.extend(column.switches);
            }
            None => {
                alike.insert(key, folded.len());
                folded.push(column);
            }
        }
    }
    let rest = folded.split_off(folded.len().min(VTEPS_SHOWN));
    if !rest.is_empty() {
        let count = rest.iter().map(|column| column.count).sum();
        let switches = rest.into_iter().flat_map(|column| column.switches).collect();
        folded.push(Column { name: String::new(), about: String::new(), switches, count });
    }
    for column in &mut folded {
        if column.name.is_empty() {
            column.name = format!("{} more", column.count);
            "VTEPs, not all alike".clone_into(&mut column.about);
        } else if column.count > 1 {
            column.about = format!("{} more VTEPs alike", column.count - 1);
        }
    }
    folded
}

fn rows(fabric: &Fabric, columns: &[Column], part: &Tenancy) -> Vec<Row> {
    let mut of_switch: BTreeMap<DeviceId, usize> = BTreeMap::new();
    for (at, column) in columns.iter().enumerate() {
        of_switch.extend(column.switches.iter().map(|&switch| (switch, at)));
    }
    let held = |found: &BTreeMap<usize, (usize, bool, bool)>| {
        let of = |at: usize| {
            let &(switches, vni, usual) = found.get(&at)?;
            Some(match (vni, usual && switches == columns[at].switches.len()) {
                (false, _) => Holds::Bare,
                (true, true) => Holds::All,
                (true, false) => Holds::Partly,
            })
        };
        (0..columns.len()).map(of).collect::<Vec<_>>()
    };
    let mut rows: Vec<Row> = Vec::new();
    let mut segments_of: BTreeMap<Option<VrfId>, Vec<SegmentId>> = BTreeMap::new();
    for (id, segment) in fabric.segments().filter(|(id, _)| part.shows_segment(*id)) {
        segments_of.entry(segment.vrf.map(|vrf| vrf.value)).or_default().push(id);
    }
    let vrfs: Vec<VrfId> =
        fabric.vrfs().map(|(id, _)| id).filter(|&id| part.shows_vrf(id)).collect();
    let many = segments_of.values().map(Vec::len).sum::<usize>() + vrfs.len() > ROWS_SHOWN;
    let vrfs = vrfs.into_iter().map(Some).chain([None]);
    for vrf in vrfs {
        let segments = segments_of.remove(&vrf).unwrap_or_default();
        match vrf {
            Some(id) => {
                let made = fabric.vrf(id);
                let mut found: BTreeMap<usize, (usize, bool, bool)> = BTreeMap::new();
                for at in &made.switches {
                    if let Some(&column) = of_switch.get(&at.switch) {
                        let entry = found.entry(column).or_insert((0, false, true));
                        entry.0 += 1;
                        entry.1 |= at.vni.is_some();
                        entry.2 &= at.vni.map(|v| v.value) == made.vni.map(|v| v.value);
                    }
                }
                let name = made.name.value.to_string();
                rows.push(Row {
                    says: made.vni.map(|vni| format!("VNI {}", vni.value)).unwrap_or_default(),
                    of: vec![name.clone()],
                    name,
                    is_vrf: true,
                    holds: held(&found),
                });
            }
            None if !segments.is_empty() && fabric.vrfs().len() > 0 => rows.push(Row {
                name: "in no VRF".to_owned(),
                says: String::new(),
                of: Vec::new(),
                is_vrf: true,
                holds: vec![None; columns.len()],
            }),
            None => {}
        }
        // Segments that are held alike make one row where there are many.
        let mut alike: BTreeMap<Vec<Option<Holds>>, usize> = BTreeMap::new();
        for id in segments {
            let segment = fabric.segment(id);
            let mut found: BTreeMap<usize, (usize, bool, bool)> = BTreeMap::new();
            for presence in segment.presences.iter().map(|id| fabric.presence(id)) {
                if let Some(&column) = of_switch.get(&presence.switch) {
                    let entry = found.entry(column).or_insert((0, false, true));
                    entry.0 += 1;
                    entry.1 |= presence.vni.is_some();
                    entry.2 &= presence.vni.map(|v| v.value) == segment.vni.map(|v| v.value);
                }
            }
            let holds = held(&found);
            let name = segment.name.value.to_string();
            if let Some(&known) = alike.get(&holds).filter(|_| many) {
                rows[known].of.push(name);
                continue;
            }
            alike.insert(holds.clone(), rows.len());
            let vlan = segment.vlan.map(|vlan| format!("VLAN {}", vlan.value));
            let vni = segment.vni.map(|vni| format!("VNI {}", vni.value));
            let says: Vec<String> = [vlan, vni].into_iter().flatten().collect();
            rows.push(Row {
                says: says.join(", "),
                of: vec![name.clone()],
                name,
                is_vrf: false,
                holds,
            });
        }
    }
    shorten(rows, columns.len())
}

/// Names rows of several, and makes one of those that are too many.
fn shorten(mut rows: Vec<Row>, columns: usize) -> Vec<Row> {
    for row in &mut rows {
        if let ([first, .., last], false) = (&row.of[..], row.is_vrf) {
            row.says = format!("{first} to {last}");
            row.name = format!("{} segments", row.of.len());
        }
    }
    let rest = rows.split_off(rows.len().min(ROWS_SHOWN));
    if !rest.is_empty() {
        let all: Vec<String> = rest.iter().flat_map(|row| row.of.clone()).collect();
        let holds = (0..columns).map(|at| rest.iter().filter_map(|row| row.holds[at]).max());
        rows.push(Row {
            name: format!("{} more", all.len()),
            says: "VRFs and segments".to_owned(),
            holds: holds.collect(),
            of: all,
            is_vrf: false,
        });
    }
    rows
}

/// Draws those that are no VTEPs and have sessions with them, and the sessions; returns where the VTEPs
/// begin.
fn sessions(
    scene: &mut Scene,
    state: &State,
    columns: &[Column],
    slot: f64,
    x_of: &dyn Fn(usize) -> f64,
) -> f64 {
    let fabric = state.fabric();
    let mut column_of: BTreeMap<DeviceId, usize> = BTreeMap::new();
    for (at, column) in columns.iter().enumerate() {
        column_of.extend(column.switches.iter().map(|&switch| (switch, at)));
    }
    let mut reflects: BTreeSet<DeviceId> = BTreeSet::new();
    let mut found: BTreeMap<(DeviceId, usize), (usize, usize)> = BTreeMap::new();
    for (id, session) in fabric.sessions() {
        if !session.families.iter().any(|family| family.value == Family::Evpn) {
            continue;
        }
        if session.client.value {
            reflects.insert(session.device);
        }
        let ends = [(session.device, session.peer), (session.peer, session.device)];
        for (speaker, vtep) in ends {
            if let (None, Some(&column)) = (column_of.get(&speaker), column_of.get(&vtep)) {
                let entry = found.entry((speaker, column)).or_default();
                entry.0 += 1;
                entry.1 += usize::from(state.bgp().session(id).carries(Family::Evpn));
            }
        }
    }
    let speakers: BTreeSet<DeviceId> = found.keys().map(|(speaker, _)| *speaker).collect();
    let speakers: Vec<DeviceId> = speakers.into_iter().collect();
    if speakers.is_empty() {
        return HEAD + 6.0;
    }
    let shown = speakers.len().min(SPEAKERS_SHOWN);
    let y = HEAD + 4.0;
    let below = y + 40.0 + 66.0;
    let across = (slot * columns.len() as f64 - 12.0).max(shown as f64 * 124.0);
    let left = x_of(0);
    let step = (across / shown as f64).min(220.0);
    let first = left + across / 2.0 - step * (shown as f64 - 1.0) / 2.0;
    let center = |place: usize| first + step * place.min(shown - 1) as f64;
    for (&(speaker, column), &(all, up)) in &found {
        let place = speakers.binary_search(&speaker).unwrap_or(0);
        if place >= shown {
            continue;
        }
        let sound = all == up;
        let spread = 7.0 * (place as f64 - (shown as f64 - 1.0) / 2.0);
        let from = Point::new(center(place), y + 40.0);
        let to = Point::new(x_of(column) + (slot - 12.0) / 2.0 + spread, below);
        let stroke = match sound {
            true => Stroke::new(Ink::Relation, 1.3),
            false => Stroke::new(Ink::Error, 1.3).dashed(),
        };
        let name = fabric.device_name(speaker);
        let state = if sound { "up" } else { "not all up" };
        scene.add(Item {
            details: format!("EVPN sessions of {name} with {}: {state}", columns[column].name),
            shapes: vec![Shape::Line { points: vec![from, to], stroke, arrow: false }],
            ..Item::default()
        });
    }
    for (place, &speaker) in speakers.iter().enumerate().take(shown) {
        let folded = speakers.len() > shown && place + 1 == shown;
        let name = match folded {
            true => format!("{} more speakers", speakers.len() - shown + 1),
            false => fabric.device_name(speaker).to_owned(),
        };
        let says = if reflects.contains(&speaker) { "route reflector" } else { "BGP speaker" };
        let wide = (width(&name, 12.0, true) + 20.0).max(104.0).min(step - 8.0);
        let area = Area::new(center(place) - wide / 2.0, y, wide, 40.0);
        let middle = area.middle();
        let name_at = Point::new(middle.x, middle.y - 2.0);
        let shown = fitted(&name, 12.0, true, wide - 6.0);
        scene.add(Item {
            of: vec![name.clone()],
            details: format!("{name}, {says}"),
            faded: false,
            shapes: vec![
                Shape::Box {
                    area,
                    radius: 3.0,
                    fill: Some(Ink::Switch),
                    stroke: Some(Stroke::new(Ink::Line, 1.3)),
                },
                Shape::Text(Text::new(name_at, 12.0, shown).bold().middle()),
                Shape::Text(
                    Text::new(Point::new(middle.x, middle.y + 12.0), 9.0, says)
                        .middle()
                        .ink(Ink::Quiet),
                ),
            ],
        });
    }
    below
}

fn heads(
    scene: &mut Scene,
    fabric: &Fabric,
    columns: &[Column],
    slot: f64,
    y: f64,
    x_of: &dyn Fn(usize) -> f64,
) {
    for (at, column) in columns.iter().enumerate() {
        let area = Area::new(x_of(at), y, slot - 12.0, 40.0);
        let middle = area.middle();
        let switches: Vec<&str> =
            column.switches.iter().take(12).map(|&id| fabric.device_name(id)).collect();
        let mut shapes = Vec::new();
        if column.count > 1 {
            shapes.push(Shape::Box {
                area: Area::new(area.x + 4.0, area.y - 4.0, area.width - 4.0, area.height),
                radius: 3.0,
                fill: Some(Ink::Fold),
                stroke: Some(Stroke::new(Ink::Line, 0.8)),
            });
        }
        shapes.push(Shape::Box {
            area,
            radius: 3.0,
            fill: Some(if column.count > 1 { Ink::Fold } else { Ink::Switch }),
            stroke: Some(Stroke::new(Ink::Line, 1.3)),
        });
        let name = fitted(&column.name, 11.0, true, area.width - 6.0);
        let about = fitted(&column.about, 9.0, false, area.width - 6.0);
        let name_at = Point::new(middle.x, middle.y - 2.0);
        let about_at = Point::new(middle.x, middle.y + 12.0);
        shapes.push(Shape::Text(Text::new(name_at, 11.0, name).bold().middle()));
        shapes.push(Shape::Text(Text::new(about_at, 9.0, about).middle().ink(Ink::Quiet)));
        let named = column.switches.iter().map(|&id| fabric.device_name(id).to_owned());
        scene.add(Item {
            of: named.chain([column.name.clone()]).collect(),
            details: format!("{}: {}", column.about, switches.join(", ")),
            faded: false,
            shapes,
        });
    }
}

fn draw_row(
    scene: &mut Scene,
    row: &Row,
    y: f64,
    slot: f64,
    right: f64,
    x_of: &dyn Fn(usize) -> f64,
) {
    let middle = y + ROW / 2.0;
    let area = Area::new(MARGIN, y, right - MARGIN, ROW);
    let fill = row.is_vrf.then_some(Ink::Fold);
    let mut shapes = vec![Shape::Box { area, radius: 0.0, fill, stroke: None }];
    let indent = if row.is_vrf { 6.0 } else { 16.0 };
    let name = fitted(&row.name, 11.0, row.is_vrf, 120.0);
    let mut text = Text::new(Point::new(MARGIN + indent, middle + 4.0), 11.0, name);
    text.bold = row.is_vrf;
    shapes.push(Shape::Text(text));
    let says = fitted(&row.says, 9.0, false, NAMES - 146.0);
    let at = Point::new(MARGIN + NAMES - 12.0, middle + 3.5);
    shapes.push(Shape::Text(Text::new(at, 9.0, says).end().ink(Ink::Quiet)));
    let line = vec![Point::new(MARGIN, y + ROW), Point::new(right, y + ROW)];
    shapes.push(Shape::Line { points: line, stroke: Stroke::new(Ink::Faint, 0.5), arrow: false });
    for (at, holds) in row.holds.iter().enumerate() {
        let center = Point::new(x_of(at) + (slot - 12.0) / 2.0, middle);
        shapes.extend(holds.iter().flat_map(|&holds| dot(center, holds, row.is_vrf)));
    }
    scene.add(Item { of: row.of.clone(), details: row.of.join(", "), faded: false, shapes });
}

/// A full mark, half a one, or an empty one; square for VRFs.
fn dot(center: Point, holds: Holds, square: bool) -> Vec<Shape> {
    let radius = if square { 2.0 } else { 5.5 };
    let area = Area::new(center.x - 5.5, center.y - 5.5, 11.0, 11.0);
    let stroke = Some(Stroke::new(Ink::Relation, 1.5));
    let fill = (holds == Holds::All).then_some(Ink::Relation);
    let mut shapes = vec![Shape::Box { area, radius, fill, stroke }];
    if holds == Holds::Partly {
        let half = Area::new(center.x - 3.0, center.y - 3.0, 3.0, 6.0);
        shapes.push(Shape::Box {
            area: half,
            radius: 0.0,
            fill: Some(Ink::Relation),
            stroke: None,
        });
    }
    shapes
}

fn legend(scene: &mut Scene, y: f64) {
    let mut x = MARGIN;
    let mut shapes = Vec::new();
    let entries = [
        (Holds::All, true, "VRF"),
        (Holds::All, false, "segment with its VNI"),
        (Holds::Partly, false, "on one side only, or with another VNI"),
        (Holds::Bare, false, "VLAN only"),
    ];
    for (holds, square, words) in entries {
        shapes.extend(dot(Point::new(x + 6.0, y), holds, square));
        shapes.push(Shape::Text(
            Text::new(Point::new(x + 17.0, y + 4.0), 10.0, words).ink(Ink::Quiet),
        ));
        x += 17.0 + width(words, 10.0, false) + 18.0;
    }
    for (stroke, words) in [
        (Stroke::new(Ink::Relation, 1.3), "EVPN sessions"),
        (Stroke::new(Ink::Error, 1.3).dashed(), "not up"),
    ] {
        let points = vec![Point::new(x, y), Point::new(x + 24.0, y)];
        shapes.push(Shape::Line { points, stroke, arrow: false });
        shapes.push(Shape::Text(
            Text::new(Point::new(x + 30.0, y + 4.0), 10.0, words).ink(Ink::Quiet),
        ));
        x += 30.0 + width(words, 10.0, false) + 18.0;
    }
    scene.plain(shapes);
    scene.cover(Area::new(0.0, 0.0, x - 18.0, y + 6.0), MARGIN);
}
