//! Scenes as SVG 1.1, which browsers, editors and documents take as it is: colours stand at each shape,
//! and classes beside them for a page that has colours of its own.

use quick_xml::Writer;
use quick_xml::events::{BytesEnd, BytesStart, BytesText, Event};

use super::scene::{Anchor, Dash, Ink, Item, Point, Scene, Shape, Stroke, Text};
use super::theme::Theme;

const FAMILY: &str = "DejaVu Sans, Verdana, Arial, sans-serif";

type Out = Writer<Vec<u8>>;

/// Numbers with one decimal, which is a tenth of a pixel.
fn number(value: f64) -> String {
    let rounded = (value * 10.0).round() / 10.0;
    // No negative zero, so that equal drawings are equal texts.
    let rounded = if rounded == 0.0 { 0.0 } else { rounded };
    format!("{rounded}")
}

pub(crate) fn svg(scene: &Scene, theme: Theme) -> String {
    let mut out = Writer::new(Vec::new());
    // Writing to a vector cannot fail.
    let _ = write(&mut out, scene, theme);
    String::from_utf8(out.into_inner()).unwrap_or_default()
}

fn write(out: &mut Out, scene: &Scene, theme: Theme) -> std::io::Result<()> {
    let (width, height) = (number(scene.width.ceil()), number(scene.height.ceil()));
    let view = format!("0 0 {width} {height}");
    let root = BytesStart::new("svg").with_attributes([
        ("xmlns", "http://www.w3.org/2000/svg"),
        ("width", width.as_str()),
        ("height", height.as_str()),
        ("viewBox", view.as_str()),
        ("font-family", FAMILY),
        ("role", "img"),
    ]);
    out.write_event(Event::Start(root))?;
    element(out, "title", &scene.title)?;
    out.write_event(Event::Empty(BytesStart::new("rect").with_attributes([
        ("class", "fill-paper"),
        ("width", width.as_str()),
        ("height", height.as_str()),
        ("fill", theme.colour(Ink::Paper)),
    ])))?;
    for one in &scene.items {
        item(out, one, theme)?;
    }
    out.write_event(Event::End(BytesEnd::new("svg")))?;
    out.write_event(Event::Text(BytesText::new("\n")))
}

fn element(out: &mut Out, name: &str, text: &str) -> std::io::Result<()> {
    out.write_event(Event::Start(BytesStart::new(name)))?;
    out.write_event(Event::Text(BytesText::new(&printable(text))))?;
    out.write_event(Event::End(BytesEnd::new(name)))
}

/// Without the characters that XML 1.0 (section 2.2) has no way to write.
fn printable(text: &str) -> String {
    let allowed = |letter: char| matches!(letter, '\t' | '\n' | '\r' | ' '..='\u{d7ff}' | '\u{e000}'..='\u{fffd}' | '\u{10000}'..);
    text.chars().map(|letter| if allowed(letter) { letter } else { '\u{fffd}' }).collect()
}

fn item(out: &mut Out, item: &Item, theme: Theme) -> std::io::Result<()> {
    let named = !item.of.is_empty() || !item.details.is_empty() || item.faded;
    if named {
        let mut group = BytesStart::new("g");
        if !item.of.is_empty() {
            let names = serde_json::to_string(&item.of).unwrap_or_default();
            group.push_attribute(("data-of", printable(&names).as_str()));
        }
        if item.faded {
            group.push_attribute(("opacity", "0.28"));
        }
        out.write_event(Event::Start(group))?;
        if !item.details.is_empty() {
            element(out, "title", &item.details)?;
        }
    }
    for one in &item.shapes {
        shape(out, one, theme)?;
    }
    if named {
        out.write_event(Event::End(BytesEnd::new("g")))?;
    }
    Ok(())
}

/// The colours of a shape, and the classes for them.
fn paint(tag: &mut BytesStart<'_>, fill: Option<Ink>, stroke: Option<Stroke>, theme: Theme) {
    let classes = [
        fill.map(|ink| format!("fill-{}", ink.class())),
        stroke.map(|stroke| format!("stroke-{}", stroke.ink.class())),
    ];
    let classes: Vec<String> = classes.into_iter().flatten().collect();
    tag.push_attribute(("class", classes.join(" ").as_str()));
    tag.push_attribute(("fill", fill.map_or("none", |ink| theme.colour(ink))));
    let Some(stroke) = stroke else { return };
    tag.push_attribute(("stroke", theme.colour(stroke.ink)));
    tag.push_attribute(("stroke-width", number(stroke.width).as_str()));
    match stroke.dash {
        Dash::Solid => {}
        Dash::Dashed => tag.push_attribute(("stroke-dasharray", "6 4")),
        Dash::Dotted => tag.push_attribute(("stroke-dasharray", "1.5 3")),
    }
}

fn points(points: &[Point]) -> String {
    let all = points.iter().map(|point| format!("{},{}", number(point.x), number(point.y)));
    all.collect::<Vec<_>>().join(" ")
}

fn shape(out: &mut Out, shape: &Shape, theme: Theme) -> std::io::Result<()> {
    match shape {
        Shape::Box { area, radius, fill, stroke } => {
            let mut tag = BytesStart::new("rect");
            tag.push_attribute(("x", number(area.x).as_str()));
            tag.push_attribute(("y", number(area.y).as_str()));
            tag.push_attribute(("width", number(area.width).as_str()));
            tag.push_attribute(("height", number(area.height).as_str()));
            if *radius > 0.0 {
                tag.push_attribute(("rx", number(*radius).as_str()));
            }
            paint(&mut tag, *fill, *stroke, theme);
            out.write_event(Event::Empty(tag))
        }
        Shape::Line { points: through, stroke, arrow } => {
            let mut tag = BytesStart::new("polyline");
            tag.push_attribute(("points", points(through).as_str()));
            paint(&mut tag, None, Some(*stroke), theme);
            out.write_event(Event::Empty(tag))?;
            match through[..] {
                [.., from, to] if *arrow => head(out, from, to, *stroke, theme),
                _ => Ok(()),
            }
        }
        Shape::Curve { points: [from, a, b, to], stroke, arrow } => {
            let mut tag = BytesStart::new("path");
            let path = format!("M{} C{}", points(&[*from]), points(&[*a, *b, *to]));
            tag.push_attribute(("d", path.as_str()));
            paint(&mut tag, None, Some(*stroke), theme);
            out.write_event(Event::Empty(tag))?;
            if *arrow { head(out, *b, *to, *stroke, theme) } else { Ok(()) }
        }
        Shape::Outline { points: through, fill, stroke } => {
            let mut tag = BytesStart::new("polygon");
            tag.push_attribute(("points", points(through).as_str()));
            paint(&mut tag, *fill, *stroke, theme);
            out.write_event(Event::Empty(tag))
        }
        Shape::Text(text) => write_text(out, text, theme),
    }
}

/// An arrow head at the end of a line; markers are left out, as some editors drop them.
fn head(
    out: &mut Out,
    from: Point,
    to: Point,
    stroke: Stroke,
    theme: Theme,
) -> std::io::Result<()> {
    let (dx, dy) = (to.x - from.x, to.y - from.y);
    let length = dx.hypot(dy).max(0.001);
    let (ux, uy) = (dx / length, dy / length);
    let (long, wide) = (5.0 + 1.6 * stroke.width, 2.2 + 1.1 * stroke.width);
    let base = Point::new(to.x - ux * long, to.y - uy * long);
    let outline = Shape::Outline {
        points: vec![
            to,
            Point::new(base.x - uy * wide, base.y + ux * wide),
            Point::new(base.x + uy * wide, base.y - ux * wide),
        ],
        fill: Some(stroke.ink),
        stroke: None,
    };
    shape(out, &outline, theme)
}

fn write_text(out: &mut Out, text: &Text, theme: Theme) -> std::io::Result<()> {
    let mut tag = BytesStart::new("text");
    tag.push_attribute(("x", number(text.at.x).as_str()));
    tag.push_attribute(("y", number(text.at.y).as_str()));
    tag.push_attribute(("font-size", number(text.size).as_str()));
    match text.anchor {
        Anchor::Start => {}
        Anchor::Middle => tag.push_attribute(("text-anchor", "middle")),
        Anchor::End => tag.push_attribute(("text-anchor", "end")),
    }
    if text.bold {
        tag.push_attribute(("font-weight", "bold"));
    }
    paint(&mut tag, Some(text.ink), None, theme);
    out.write_event(Event::Start(tag))?;
    out.write_event(Event::Text(BytesText::new(&printable(&text.words))))?;
    out.write_event(Event::End(BytesEnd::new("text")))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The texts of an SVG as a reader of XML has them.
    fn texts(svg: &str) -> Vec<String> {
        let mut reader = quick_xml::Reader::from_str(svg);
        let (mut found, mut current) = (Vec::new(), String::new());
        loop {
            match reader.read_event().expect("the SVG is XML") {
                Event::Text(text) => current.push_str(&text),
                Event::GeneralRef(name) => current.push_str(match &*name {
                    "lt" => "<",
                    "gt" => ">",
                    "amp" => "&",
                    "quot" => "\"",
                    "apos" => "'",
                    other => panic!("{other}"),
                }),
                Event::End(_) => found.push(std::mem::take(&mut current)),
                Event::Eof => return found.into_iter().filter(|text| !text.is_empty()).collect(),
                _ => {}
            }
        }
    }

    #[test]
    fn names_stay_text_whatever_is_in_them() {
        let mut scene =
            Scene { title: "a & b".to_owned(), width: 10.0, height: 10.0, ..Scene::default() };
        scene.add(Item {
            of: vec!["<script>\"'".to_owned()],
            details: "1 < 2\u{1}".to_owned(),
            shapes: vec![Shape::Text(Text::new(Point::new(1.0, 2.0), 9.0, "<script>&\u{b}"))],
            ..Item::default()
        });
        let text = svg(&scene, Theme::Light);
        assert!(!text.contains("<script"), "{text}");
        let read = texts(&text);
        assert_eq!(read, ["a & b", "1 < 2\u{fffd}", "<script>&\u{fffd}"]);
    }
}
