//! A walk on the cabling, with what the packet wears at each hop.

use felting::fabric::DeviceId;
use felting::walk::{Content, End, Exit, Headers, Hop, Walk, Way, why};
use felting::{Fabric, State};

use super::cabling::{Cabled, HEAD, Lit, MARGIN};
use super::measure::{fitted, width};
use super::part::Focus;
use super::scene::{Area, Ink, Item, Point, Scene, Shape, Stroke, Text};
use super::{Drawing, Nothing, titled};

const CARD: f64 = 230.0;
const GAP: f64 = 12.0;
const BAR: f64 = 15.0;
const SIZE: f64 = 9.0;

/// A walk on the cabling: its ways there and back, and the headers at each hop.
///
/// # Errors
///
/// If there are no switches.
pub fn walk(state: &State, walk: &Walk) -> Result<Drawing, Nothing> {
    let fabric = state.fabric();
    if fabric.devices().len() == 0 {
        return Err(Nothing::Cabling);
    }
    // A walk that does not even get an answer to its question is shown by the question.
    let failed = walk.resolutions.iter().find(|one| one.answer.is_none());
    let asked = failed.map(|one| match &one.reply {
        Some(reply) if one.request.arrives() => reply,
        _ => &one.request,
    });
    let moved = |path: &&Way| path.hops.iter().any(|hop| !hop.exits.is_empty());
    let there = Some(&walk.there).filter(moved);
    let back = walk.back.as_ref().filter(moved);
    let ways: Vec<(&str, Ink, &Way)> = asked
        .filter(moved)
        .map(|path| ("the question, unanswered", Ink::There, path))
        .into_iter()
        .chain(there.map(|path| ("there", Ink::There, path)))
        .chain(back.map(|path| ("back", Ink::Back, path)))
        .collect();
    let on_way = ways.iter().flat_map(|(_, _, path)| &path.hops).map(|hop| hop.device);
    let mut lit = Lit { devices: on_way.collect(), ..Lit::default() };
    for (_, ink, path) in &ways {
        for exit in path.hops.iter().flat_map(|hop| &hop.exits) {
            if let Some((cable, _)) = fabric.link(exit.port) {
                let known = lit.cables.entry(cable).or_default();
                if !known.contains(&(*ink, exit.port)) {
                    known.push((*ink, exit.port));
                }
            }
        }
    }
    let cabled = Cabled::new(state, &Focus::way(lit.devices.clone()));
    let ends = [walk.from, walk.to].map(|end| fabric.terminal_name(end));
    let arrives = if walk.arrives() { "reaches" } else { "does not reach" };
    let mut scene = titled(fabric, &format!("{} {arrives} {}", ends[0], ends[1]));
    let words = verdict(fabric, walk);
    let (ink, says) = (if walk.arrives() { Ink::Quiet } else { Ink::Error }, words);
    scene.text(Text::new(Point::new(MARGIN, HEAD - 8.0), 10.5, says).ink(ink));
    cabled.draw(&mut scene, Some(&lit));
    for (turn, (_, ink, path)) in ways.iter().enumerate() {
        numbers(&mut scene, fabric, &cabled, path, *ink, turn);
    }
    let room = scene.width.max(1240.0) - 2.0 * MARGIN;
    let mut y = scene.height;
    for (name, ink, path) in &ways {
        y = cards(&mut scene, fabric, name, *ink, path, room, y);
    }
    Ok(Drawing { scene })
}

/// From which address to which, or where it stops and why.
fn verdict(fabric: &Fabric, walk: &Walk) -> String {
    match walk.root() {
        Some((hop, stop)) => {
            format!("stops at {}: {}", fabric.device_name(hop.device), why(fabric, hop, stop))
        }
        None => {
            let packet = walk.there.hops.iter().find_map(|hop| hop.exits.first());
            let packet = packet.map(|exit| exit.headers.frame.packet);
            packet.map_or_else(String::new, |p| format!("{} \u{2192} {} and back", p.from, p.to))
        }
    }
}

/// The place of each hop that is left, in the order of the path: what its cards and marks are numbered by.
fn numbered(path: &Way) -> impl Iterator<Item = (usize, &Hop)> {
    path.hops.iter().enumerate().map(|(at, hop)| (at + 1, hop))
}

fn numbers(
    scene: &mut Scene,
    fabric: &Fabric,
    cabled: &Cabled<'_>,
    path: &Way,
    ink: Ink,
    turn: usize,
) {
    let mut used: std::collections::BTreeMap<DeviceId, usize> = std::collections::BTreeMap::new();
    for (number, hop) in numbered(path) {
        let name = fabric.device_name(hop.device);
        let Some(area) = cabled.place_of(name) else { continue };
        let count = used.entry(hop.device).or_default();
        let shift = 17.0 * *count as f64;
        *count += 1;
        // There at the upper left corner, back at the lower right one.
        let at = match turn % 2 {
            0 => Point::new(area.x + shift, area.y),
            _ => Point::new(area.right() - shift, area.bottom()),
        };
        let details = format!("hop {number}: {name}");
        let shapes = number_mark(at, number, ink);
        scene.add(Item { of: Vec::new(), details, faded: false, shapes });
    }
}

/// A number in a disc for the way there, in a square for the way back.
fn number_mark(at: Point, number: usize, ink: Ink) -> Vec<Shape> {
    let radius = if ink == Ink::Back { 2.0 } else { 8.0 };
    let area = Area::new(at.x - 8.0, at.y - 8.0, 16.0, 16.0);
    let text = Text::new(Point::new(at.x, at.y + 3.4), 9.5, number.to_string());
    vec![
        Shape::Box { area, radius, fill: Some(ink), stroke: Some(Stroke::new(Ink::Paper, 1.2)) },
        Shape::Text(text.bold().middle().ink(Ink::Paper)),
    ]
}

/// A card for each hop, in rows; returns where they end.
fn cards(
    scene: &mut Scene,
    fabric: &Fabric,
    name: &str,
    ink: Ink,
    path: &Way,
    room: f64,
    top: f64,
) -> f64 {
    scene.text(Text::new(Point::new(MARGIN, top + 8.0), 13.0, name).bold().ink(ink));
    let mut y = top + 20.0;
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a few")]
    let per_row = (((room + GAP) / (CARD + GAP)).floor().max(1.0)) as usize;
    let hops: Vec<(usize, &Hop)> = numbered(path).collect();
    for row in hops.chunks(per_row) {
        let mut height: f64 = 0.0;
        for (place, &(number, hop)) in row.iter().enumerate() {
            let x = MARGIN + (CARD + GAP) * place as f64;
            height = height.max(card(scene, fabric, number, hop, ink, Point::new(x, y)));
        }
        y += height + GAP;
    }
    scene.cover(Area::new(0.0, 0.0, room + MARGIN, y - GAP), MARGIN);
    y + 4.0
}

/// The layers of headers, the outermost first.
fn layers(headers: &Headers) -> Vec<(Ink, String)> {
    let tag = |tag: Option<felting::value::VlanId>| {
        tag.map(|tag| format!(", tag {tag}")).unwrap_or_default()
    };
    let mut layers = Vec::new();
    for outer in headers.outers.iter().rev() {
        let (from, to) = (outer.from_mac, outer.to_mac);
        layers.push((Ink::LayerFrame, format!("{from} \u{2192} {to}{}", tag(outer.tag))));
        let (from, to) = (outer.from, outer.to);
        layers.push((Ink::LayerPacket, format!("{from} \u{2192} {to}, ttl {}", outer.ttl)));
        layers.push((Ink::LayerTunnel, outer.words()));
    }
    let frame = &headers.frame;
    layers
        .push((Ink::LayerFrame, format!("{} \u{2192} {}{}", frame.from, frame.to, tag(frame.tag))));
    let packet = &frame.packet;
    let asks = if packet.from.is_ipv4() { "ARP" } else { "ND" };
    let says = match packet.content {
        Content::WhoHas => format!("{asks}: who has {}? tell {}", packet.to, packet.from),
        Content::IHave => format!("{asks}: {} is at {}", packet.from, frame.from),
        content => {
            let what = if content == Content::EchoReply { "echo reply" } else { "echo request" };
            format!("{} \u{2192} {}, ttl {}, {what}", packet.from, packet.to, packet.ttl)
        }
    };
    layers.push((Ink::LayerPacket, says));
    layers
}

fn card(scene: &mut Scene, fabric: &Fabric, number: usize, hop: &Hop, ink: Ink, at: Point) -> f64 {
    let first: Option<&Exit> = hop.exits.first();
    let layers = first.map(|exit| layers(&exit.headers)).unwrap_or_default();
    let height = 30.0 + BAR * layers.len() as f64 + if layers.is_empty() { 0.0 } else { 4.0 };
    let area = Area::new(at.x, at.y, CARD, height);
    let stroke = Some(Stroke::new(ink, 1.2));
    let mut shapes = vec![Shape::Box { area, radius: 4.0, fill: Some(Ink::Paper), stroke }];
    shapes.extend(number_mark(Point::new(at.x + 15.0, at.y + 15.0), number, ink));
    let name = fabric.device_name(hop.device);
    shapes.push(Shape::Text(Text::new(Point::new(at.x + 29.0, at.y + 19.0), 11.0, name).bold()));
    let entered = hop.entered.map(|port| format!("in {}", fabric.port_name(port)));
    let out: Vec<&str> = hop.exits.iter().map(|exit| fabric.port_name(exit.port)).collect();
    let out = match out.len() {
        0 => None,
        1..=3 => Some(format!("out {}", out.join(" or "))),
        count => Some(format!("out by {count} ways")),
    };
    let end = hop.end.map(|end| match end {
        End::Arrived => "arrives".to_owned(),
        End::Stopped(_) => "stops here".to_owned(),
    });
    let words: Vec<String> = [entered, out, end].into_iter().flatten().collect();
    let room = CARD - 44.0 - width(name, 11.0, true);
    let words = fitted(&words.join(", "), SIZE, false, room);
    let at_words = Point::new(area.right() - 8.0, at.y + 19.0);
    let stops = matches!(hop.end, Some(End::Stopped(_)));
    let tone = if stops { Ink::Error } else { Ink::Quiet };
    shapes.push(Shape::Text(Text::new(at_words, SIZE, words).end().ink(tone)));
    let inner = layers.len().saturating_sub(2);
    for (place, (fill, text)) in layers.iter().enumerate() {
        // What is inside of a tunnel is set in.
        let indent = if place >= inner && inner > 0 { 10.0 } else { 0.0 };
        let y = at.y + 29.0 + BAR * place as f64;
        let bar = Area::new(at.x + 6.0 + indent, y, CARD - 12.0 - indent, BAR - 1.5);
        shapes.push(Shape::Box { area: bar, radius: 2.0, fill: Some(*fill), stroke: None });
        let room = bar.width - 8.0;
        let size = if width(text, SIZE, false) > room { SIZE - 1.0 } else { SIZE };
        let text = fitted(text, size, false, room);
        shapes.push(Shape::Text(Text::new(Point::new(bar.x + 4.0, y + 10.2), size, text)));
    }
    let details = match first {
        Some(exit) => format!("{name} sends by {}", fabric.port_label(exit.port)),
        None => name.to_owned(),
    };
    scene.add(Item { of: Vec::new(), details, faded: false, shapes });
    height
}
