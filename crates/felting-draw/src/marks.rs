//! Findings at the places that they concern, and what they say below.

use std::collections::BTreeMap;

use super::cabling::MARGIN;
use super::measure::{fitted, width};
use super::scene::{Area, Ink, Item, Point, Scene, Shape, Stroke, Text};
use felting::diagnostic::{Finding, Severity};

/// At one place as many marks stand side by side.
const MARKS: usize = 3;
/// Below the drawing as many findings are told.
const TOLD: usize = 16;
const SIZE: f64 = 10.0;

/// Marks findings on what they are about, numbered.
pub(super) fn mark(scene: &mut Scene, findings: &[Finding]) {
    let places = Places::of(scene);
    let mut at_place: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for (at, finding) in findings.iter().enumerate() {
        let mut found: Vec<usize> = finding
            .about
            .iter()
            .filter_map(|name| places.of_name.get(name.as_str()).copied())
            .collect();
        found.sort_unstable();
        found.dedup();
        // Of a switch and its pair the switch is nearer to the fault.
        let nearest = found.iter().map(|&place| places.all[place].1).min();
        found.retain(|&place| Some(places.all[place].1) == nearest);
        for place in found {
            at_place.entry(place).or_default().push(at);
        }
    }
    for (place, mut numbers) in at_place {
        let area = places.all[place].0;
        // The worst first; of many how many more there are.
        numbers.sort_by_key(|&at| (std::cmp::Reverse(findings[at].severity), at));
        let shown = if numbers.len() > MARKS { MARKS - 1 } else { numbers.len() };
        let mut x = area.right() - 4.0;
        for &at in numbers[..shown].iter().rev() {
            scene.add(badge(Point::new(x, area.y - 3.0), at + 1, &findings[at]));
            x -= 18.0;
        }
        let more = &numbers[shown..];
        if more.is_empty() {
            continue;
        }
        let words = format!("+{}", more.len());
        let pill = Area::new(x - 10.0, area.y - 10.0, 20.0, 14.0);
        let severity = more.iter().map(|&at| findings[at].severity).max().unwrap_or(Severity::Hint);
        let told: Vec<String> = more
            .iter()
            .map(|&at| format!("{} {}[{}]", at + 1, findings[at].severity, findings[at].rule.id))
            .collect();
        let at = Point::new(x, area.y + 0.2);
        scene.add(Item {
            of: more.iter().map(|at| format!("finding {}", at + 1)).collect(),
            details: told.join("\n"),
            faded: false,
            shapes: vec![
                Shape::Box {
                    area: pill,
                    radius: 7.0,
                    fill: Some(Ink::Paper),
                    stroke: Some(Stroke::new(ink(severity), 1.3)),
                },
                Shape::Text(Text::new(at, 8.5, words).bold().middle().ink(ink(severity))),
            ],
        });
    }
}

/// Where things are by name: the smallest area that stands for it, and for how many names that stands.
struct Places {
    all: Vec<(Area, usize)>,
    of_name: BTreeMap<String, usize>,
}

impl Places {
    fn of(scene: &Scene) -> Self {
        let mut places = Self { all: Vec::new(), of_name: BTreeMap::new() };
        for item in &scene.items {
            let boxes = item.shapes.iter().filter_map(|shape| match shape {
                Shape::Box { area, fill, .. } => Some((*area, fill.is_none())),
                _ => None,
            });
            let largest = boxes
                .max_by(|(a, _), (b, _)| (a.width * a.height).total_cmp(&(b.width * b.height)));
            // The marks of a frame stand at its lower left corner, those of what is in it at their upper right
            // ones.
            let area = largest.map(|(area, frame)| match frame && area.height > 30.0 {
                true => Area { y: area.bottom(), width: area.width.min(64.0), ..area },
                false => area,
            });
            let Some(area) = area.filter(|_| !item.of.is_empty()) else { continue };
            let at = places.all.len();
            places.all.push((area, item.of.len()));
            for name in &item.of {
                let known = places.of_name.get(name).map(|&known| places.all[known].1);
                if known.is_none_or(|known| item.of.len() < known) {
                    places.of_name.insert(name.clone(), at);
                }
            }
        }
        places
    }
}

pub(super) const fn ink(severity: Severity) -> Ink {
    match severity {
        Severity::Error => Ink::Error,
        Severity::Warning => Ink::Warning,
        Severity::Hint => Ink::Hint,
    }
}

/// A shape for each severity: a full octagon, a triangle, a ring.
fn outline(severity: Severity, at: Point) -> Shape {
    let around = |corners: u32, radius: f64, turn: f64| {
        let corner = |place: u32| {
            let angle = turn + std::f64::consts::TAU * f64::from(place) / f64::from(corners);
            Point::new(at.x + radius * angle.sin(), at.y - radius * angle.cos())
        };
        (0..corners).map(corner).collect::<Vec<_>>()
    };
    let (points, fill) = match severity {
        Severity::Error => (around(8, 8.4, std::f64::consts::PI / 8.0), Ink::Error),
        Severity::Warning => (around(3, 11.0, 0.0), Ink::Paper),
        Severity::Hint => (around(24, 7.6, 0.0), Ink::Paper),
    };
    let stroke = Some(Stroke::new(ink(severity), 1.6));
    Shape::Outline { points, fill: Some(fill), stroke }
}

fn badge(at: Point, number: usize, finding: &Finding) -> Item {
    let full = finding.severity == Severity::Error;
    let low = if finding.severity == Severity::Warning { 4.6 } else { 3.0 };
    let size = if number > 99 { 6.5 } else { 8.0 };
    let text = Text::new(Point::new(at.x, at.y + low), size, number.to_string())
        .bold()
        .middle()
        .ink(if full { Ink::Paper } else { ink(finding.severity) });
    Item {
        of: vec![format!("finding {number}")],
        details: format!("{}[{}]: {}", finding.severity, finding.rule.id, finding.what.message),
        faded: false,
        shapes: vec![outline(finding.severity, at), Shape::Text(text)],
    }
}

/// Tells findings below the drawing.
pub(super) fn list(scene: &mut Scene, findings: &[Finding]) {
    if findings.is_empty() {
        return;
    }
    let room = (scene.width - 2.0 * MARGIN).max(600.0);
    let mut y = scene.height + 4.0;
    // The worst first, each by the number that it has above.
    let mut worst: Vec<(usize, &Finding)> = findings.iter().enumerate().collect();
    worst.sort_by_key(|(at, finding)| (std::cmp::Reverse(finding.severity), *at));
    for (at, finding) in worst.into_iter().take(TOLD) {
        y += 19.0;
        let x = MARGIN + 10.0;
        scene.add(badge(Point::new(x, y - 4.0), at + 1, finding));
        let head = format!("{}[{}]", finding.severity, finding.rule.id);
        let at = Point::new(x + 16.0, y);
        let text = Text::new(at, SIZE, head.clone()).bold().ink(ink(finding.severity));
        scene.text(text);
        let after = x + 16.0 + width(&head, SIZE, true) + 8.0;
        let words = fitted(&finding.what.message, SIZE, false, room - after + MARGIN);
        scene.text(Text::new(Point::new(after, y), SIZE, words));
    }
    if findings.len() > TOLD {
        y += 18.0;
        let words = format!("and {} more, which `felting check` tells", findings.len() - TOLD);
        scene.text(Text::new(Point::new(MARGIN + 26.0, y), SIZE, words).ink(Ink::Quiet));
    }
    scene.cover(Area::new(0.0, 0.0, room + MARGIN, y), MARGIN);
}
