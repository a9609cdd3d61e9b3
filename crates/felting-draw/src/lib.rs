//! Drawings: the cabling, the overlay, the tenants, the spanning tree, a walk.
//!
//! A drawing is SVG, or a picture of pixels with the font that comes with Felting. Layout and shapes are
//! decided here, what networks do in [`felting`], and what is said of them in [`felting_view`].

#![warn(missing_docs)]
#![allow(clippy::cast_precision_loss, reason = "counts in drawings are far below 2 to the 52nd")]

mod cabling;
mod folding;
mod marks;
mod measure;
mod order;
mod overlay;
mod part;
mod place;
mod plan;
mod png;
mod report;
mod scene;
mod svg;
mod tenants;
mod theme;
mod tiers;
mod tree;
mod walk;

use std::fmt;

use felting::diagnostic::Report;
use felting::fabric::Selection;
use felting::progress::Progress;
use felting::value::VlanId;
use felting::{Fabric, State};

use cabling::{Cabled, HEAD, MARGIN};
pub use overlay::overlay;
use part::Focus;
pub use png::LARGEST;
pub use report::{Reported, report};
use scene::{Ink, Point, Scene, Text};
pub use tenants::tenants;
pub use theme::Theme;
pub use tree::tree;
pub use walk::walk;

/// A drawing.
#[derive(Clone, Debug)]
pub struct Drawing {
    scene: Scene,
}

impl Drawing {
    /// The drawing as SVG.
    pub fn svg(&self, theme: Theme) -> String {
        svg::svg(&self.scene, theme)
    }

    /// The same with each finding marked at what it is about by its number.
    #[must_use]
    pub fn with_marks(mut self, report: &Report) -> Self {
        marks::mark(&mut self.scene, &report.findings);
        self
    }

    /// The names of all that is drawn.
    pub(crate) fn names(&self) -> impl Iterator<Item = &str> {
        self.scene.items.iter().flat_map(|item| &item.of).map(String::as_str)
    }

    /// The same with each finding marked at what it is about, and told below.
    #[must_use]
    pub fn with_findings(mut self, report: &Report) -> Self {
        marks::mark(&mut self.scene, &report.findings);
        marks::list(&mut self.scene, &report.findings);
        self
    }

    /// The drawing as PNG, so many times as large; smaller where a side would have more pixels than
    /// [`LARGEST`].
    pub fn png(&self, theme: Theme, scale: f64, progress: &Progress) -> Vec<u8> {
        // What is drawn here is SVG that can be read again.
        png::png(&self.svg(theme), scale, progress).unwrap_or_default()
    }
}

/// The colours of both themes for a page: light, and dark where the reader has it so.
pub(crate) fn inks() -> String {
    let of = |theme: Theme| {
        let all = Ink::ALL.iter().map(|ink| format!("--{}:{};", ink.class(), theme.colour(*ink)));
        all.collect::<String>()
    };
    let classes = Ink::ALL.iter().map(|ink| {
        let name = ink.class();
        format!(".fill-{name}{{fill:var(--{name})}}.stroke-{name}{{stroke:var(--{name})}}\n")
    });
    let classes: String = classes.collect();
    format!(
        ":root{{{}}}\n@media screen and (prefers-color-scheme: dark){{:root{{{}}}}}\n{classes}",
        of(Theme::Light),
        of(Theme::Dark)
    )
}

/// Why there is nothing to draw.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Nothing {
    /// The fabric has no switches.
    Cabling,
    /// It has no VTEPs.
    Overlay,
    /// It has neither VRFs nor segments.
    Tenants,
    /// It has no bridges.
    Tree,
    /// No spanning tree is for the VLAN.
    TreeOf(VlanId),
    /// Nothing of the kind is in the part that was asked for: of which kind, in words.
    Part(&'static str),
}

impl fmt::Display for Nothing {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Cabling => f.write_str("there are no switches to draw; write them as [[switch]]"),
            Self::Overlay => {
                f.write_str("there is no VTEP to draw; an [[overlay]] makes switches VTEPs")
            }
            Self::Tenants => f.write_str(
                "there is no VRF and no segment to draw; write them as [[vrf]] and [[segment]]",
            ),
            Self::Tree => {
                f.write_str("no switch bridges here, so there is no spanning tree to draw")
            }
            Self::TreeOf(vlan) => {
                write!(f, "no spanning tree is for VLAN {vlan}: no port that bridges carries it")
            }
            Self::Part(kind) => {
                write!(
                    f,
                    "what is asked for has no {kind} to draw; name some, or draw the whole fabric"
                )
            }
        }
    }
}

impl std::error::Error for Nothing {}

/// The cabling of a fabric: switches in tiers, hosts below them, every cable or how many. Of a part of the fabric: its
/// switches and hosts, none of them folded, with what they are cabled to.
///
/// # Errors
///
/// If there are no switches.
pub fn cabling(state: &State, only: Option<&Selection>) -> Result<Drawing, Nothing> {
    let fabric = state.fabric();
    if fabric.devices().len() == 0 {
        return Err(Nothing::Cabling);
    }
    if only.is_some_and(|only| only.devices().len() == 0) {
        return Err(Nothing::Part("switch or host"));
    }
    let cabled = Cabled::new(state, &Focus::part(fabric, only));
    let mut scene = titled(fabric, &of_part("cabling", only));
    cabled.draw(&mut scene, None);
    let y = scene.height;
    cabled.legend(&mut scene, y);
    Ok(Drawing { scene })
}

/// What a drawing shows, and of which part of the fabric.
fn of_part(what: &str, only: Option<&Selection>) -> String {
    match only {
        Some(only) => format!("{what} of {}", only.words()),
        None => what.to_owned(),
    }
}

/// An empty drawing with its title.
fn titled(fabric: &Fabric, what: &str) -> Scene {
    let name = if fabric.name().is_empty() { "the fabric" } else { fabric.name() };
    let mut scene = Scene { title: format!("{name}: {what}"), ..Scene::default() };
    scene.text(Text::new(Point::new(MARGIN, HEAD - 26.0), 17.0, name).bold());
    let x = MARGIN + measure::width(name, 17.0, true) + 10.0;
    scene.text(Text::new(Point::new(x, HEAD - 26.0), 13.0, what).ink(Ink::Quiet));
    scene
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;
    use std::path::Path;

    use felting::Condition;
    use felting::walk::{Options, Walker};

    use super::scene::{Anchor, Area, Shape};
    use super::*;

    fn demo(name: &str) -> (Fabric, State) {
        let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
        let fabric = Fabric::from_path(root.join(name).join("fabric.toml"));
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        (fabric, state)
    }

    /// All views of a fabric that it has something for.
    fn views(state: &State) -> Vec<(&'static str, Drawing)> {
        let fabric = state.fabric();
        let ends = ["web-1", "solver-2"].map(|end| fabric.terminal(end).ok());
        let walked = match ends {
            [Some(from), Some(to)] => Walker::new(state).walk(from, to, Options::BY_HASH).ok(),
            _ => None,
        };
        let all = [
            ("cabling", cabling(state, None).ok()),
            ("overlay", overlay(state, None).ok()),
            ("tenants", tenants(state, None).ok()),
            ("tree", tree(state, None, None).ok()),
            ("walk", walked.and_then(|walked| walk(state, &walked).ok())),
        ];
        all.into_iter().filter_map(|(name, drawing)| Some((name, drawing?))).collect()
    }

    /// The room that each text takes.
    fn texts(scene: &Scene) -> Vec<(Area, &str)> {
        let shapes = scene.items.iter().flat_map(|item| &item.shapes);
        let texts = shapes.filter_map(|shape| match shape {
            Shape::Text(text) if !text.words.is_empty() => Some(text),
            _ => None,
        });
        texts
            .map(|text| {
                let wide = measure::width(&text.words, text.size, text.bold);
                let x = match text.anchor {
                    Anchor::Start => text.at.x,
                    Anchor::Middle => text.at.x - wide / 2.0,
                    Anchor::End => text.at.x - wide,
                };
                let high = text.size * 0.7;
                (Area::new(x, text.at.y - high, wide, high), text.words.as_str())
            })
            .collect()
    }

    #[test]
    fn every_label_of_the_demo_can_be_read() {
        let (_, state) = demo("saltmarsh");
        let views = views(&state);
        assert_eq!(views.len(), 5);
        for (name, drawing) in views {
            let scene = &drawing.scene;
            let texts = texts(scene);
            for (at, (area, text)) in texts.iter().enumerate() {
                for (other, second) in &texts[at + 1..] {
                    assert!(!area.overlaps(*other), "{name}: {text} over {second}");
                }
                let inside = area.x >= 0.0 && area.right() <= scene.width;
                assert!(inside && area.bottom() <= scene.height, "{name}: {text}");
            }
            assert!(scene.width < 1400.0 && scene.height < 1000.0, "{name}: {}", scene.width);
        }
    }

    #[test]
    fn every_drawing_is_svg_and_a_picture_in_both_themes() {
        for name in ["saltmarsh", "saltmarsh-stormy"] {
            let (fabric, state) = demo(name);
            let report = fabric.check();
            for (view, drawing) in views(&state) {
                let drawing = drawing.with_findings(&report);
                for theme in [Theme::Light, Theme::Dark] {
                    let svg = drawing.svg(theme);
                    let mut reader = quick_xml::Reader::from_str(&svg);
                    let mut depth = 0_i32;
                    loop {
                        match reader.read_event() {
                            Ok(quick_xml::events::Event::Start(_)) => depth += 1,
                            Ok(quick_xml::events::Event::End(_)) => depth -= 1,
                            Ok(quick_xml::events::Event::Eof) => break,
                            Ok(_) => {}
                            Err(error) => panic!("{view}: {error}"),
                        }
                    }
                    assert_eq!(depth, 0);
                }
                // Drawing pixels takes long in a build that is not optimized.
                if view == "cabling" {
                    assert!(
                        drawing
                            .png(Theme::Light, 0.5, &Progress::default())
                            .starts_with(b"\x89PNG")
                    );
                }
            }
        }
    }

    #[test]
    fn findings_stand_at_what_they_are_about() {
        let (fabric, state) = demo("saltmarsh-stormy");
        let report = fabric.check();
        let segments: BTreeSet<&str> =
            fabric.segments().map(|(_, segment)| segment.name.value.as_str()).collect();
        let vrfs: BTreeSet<&str> = fabric.vrfs().map(|(_, vrf)| vrf.name.value.as_str()).collect();
        for (view, drawing) in views(&state) {
            let drawing = drawing.with_marks(&report);
            let marked: BTreeSet<&str> = drawing.names().collect();
            for (at, finding) in report.findings.iter().enumerate() {
                let is_there = |name: &str| match view {
                    "cabling" | "walk" => fabric.find_device(name).is_some(),
                    "overlay" | "tenants" => segments.contains(name) || vrfs.contains(name),
                    _ => false,
                };
                // Beside a walk only what is on or above its way is drawn.
                if view != "walk" && finding.about.iter().any(|name| is_there(name)) {
                    let name = format!("finding {}", at + 1);
                    assert!(marked.contains(name.as_str()), "{view}: {}", finding.what.message);
                }
            }
        }
    }

    /// Whatever is wrong with a fabric, it is drawn, its walks too, and nothing lies over anything else.
    #[test]
    fn every_example_of_a_rule_is_drawn() {
        for rule in felting::rules::all() {
            let fabric = Fabric::from_text("broken.toml", rule.broken);
            let state = State::of(&fabric, &Condition::default(), &Progress::default());
            let report = fabric.check();
            for (view, drawing) in views(&state) {
                let drawing = drawing.with_findings(&report);
                let (wide, high) = (drawing.scene.width, drawing.scene.height);
                let sound = wide.is_finite() && high.is_finite() && wide > 0.0 && high > 0.0;
                assert!(sound && !drawing.svg(Theme::Light).contains("NaN"), "{}: {view}", rule.id);
            }
            let ends: Vec<_> = fabric.endpoints().map(|(id, _)| id).take(3).collect();
            let mut walker = Walker::new(&state);
            for (&from, &to) in ends.iter().flat_map(|a| ends.iter().map(move |b| (a, b))) {
                let [from, to] =
                    [from, to].map(|end| felting::fabric::Terminal::Endpoint(end, None));
                if let Ok(walked) = walker.walk(from, to, Options::ALL) {
                    assert!(walk(&state, &walked).is_ok(), "{}", rule.id);
                }
            }
        }
    }

    #[test]
    fn a_part_is_drawn_with_what_it_hangs_on() {
        let (fabric, state) = demo("saltmarsh");
        let part = |names: &[&str]| Selection::of(&fabric, names).unwrap();
        let names = |drawing: Result<Drawing, Nothing>| -> BTreeSet<String> {
            drawing.unwrap().names().map(str::to_owned).collect()
        };
        let (kelp, web) = (part(&["kelp"]), part(&["tides-web"]));
        let cabled = names(cabling(&state, Some(&kelp)));
        assert!(["kelp-a", "kelp-b", "crest-1"].iter().all(|name| cabled.contains(*name)));
        assert!(!cabled.contains("dune-a") && !cabled.contains("reed-a"), "{cabled:?}");
        let of_web = names(overlay(&state, Some(&web)));
        assert!(of_web.contains("tides-web") && of_web.contains("tides"));
        assert!(!of_web.contains("tides-solver"), "{of_web:?}");
        let of_kelp = names(tenants(&state, Some(&kelp)));
        for (_, segment) in fabric.segments() {
            let mut on = segment.presences.iter().map(|at| fabric.presence(at).switch);
            let there = of_kelp.contains(segment.name.value.as_str());
            assert_eq!(there, on.any(|switch| kelp.has_device(switch)), "{}", segment.name.value);
        }
        let in_tree = names(tree(&state, None, Some(&part(&["mud-1"]))));
        assert!(
            in_tree.contains("mud-1") && in_tree.contains("mud-2") && !in_tree.contains("kelp-a")
        );
        assert_eq!(cabling(&state, Some(&web)).err(), Some(Nothing::Part("switch or host")));
        let host = part(&["gauge-1"]);
        assert_eq!(overlay(&state, Some(&host)).err(), Some(Nothing::Part("VTEP")));
    }

    #[test]
    fn what_is_not_there_is_said() {
        let fabric = Fabric::from_text("empty.toml", "");
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        assert_eq!(cabling(&state, None).err(), Some(Nothing::Cabling));
        assert_eq!(overlay(&state, None).err(), Some(Nothing::Overlay));
        assert_eq!(tenants(&state, None).err(), Some(Nothing::Tenants));
        assert_eq!(tree(&state, None, None).err(), Some(Nothing::Tree));
        let (_, state) = demo("saltmarsh");
        let vlan = VlanId::new(4000).ok();
        assert_eq!(tree(&state, vlan, None).err(), vlan.map(Nothing::TreeOf));
    }
}
