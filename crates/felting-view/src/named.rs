//! What a name means, for people and for programs.

use std::fmt::Write as _;

use felting::Fabric;
use felting::diagnostic::{Span, plain};
use felting::fabric::Named;
use serde::Serialize;

use crate::json_text;

/// So many mentions are told in a text.
const MENTIONS_SHOWN: usize = 24;

/// What a name means in a fabric: what has it, with the values that go with it, and where files mention it.
///
/// # Errors
///
/// If nothing has it: a message that names the nearest one.
pub fn named(fabric: &Fabric, name: &str) -> Result<String, String> {
    let found = found(fabric, name)?;
    let place = |span: Span| fabric.sources().location(span).to_string();
    let mut page = String::new();
    for one in &found {
        let subject =
            if one.name == name { name.to_owned() } else { format!("{name}: {}", one.name) };
        // Writing to a String cannot fail, here and below.
        let _ = writeln!(page, "{subject} is {}, written at {}", one.what, place(one.at));
        let width = one.values.iter().map(|value| value.what.len()).max().unwrap_or(0);
        // What there are several of stands in one line.
        for alike in one.values.chunk_by(|a, b| a.what == b.what && a.written == b.written) {
            let values: Vec<&str> = alike.iter().map(|value| value.value.as_str()).collect();
            let allotted = if alike[0].written { "" } else { "  (allotted)" };
            let _ = writeln!(page, "  {:width$}  {}{allotted}", alike[0].what, values.join(", "));
        }
        page.push('\n');
    }
    let mentions = fabric.mentions(name);
    let _ = match mentions.len() {
        0 => writeln!(page, "No file mentions {name}."),
        1 => writeln!(page, "mentioned once:"),
        count => writeln!(page, "mentioned {count} times:"),
    };
    for &span in mentions.iter().take(MENTIONS_SHOWN) {
        let _ = writeln!(page, "  {}: {}", place(span), line(fabric, span));
    }
    if mentions.len() > MENTIONS_SHOWN {
        let _ =
            writeln!(page, "  and {} more; --format json has all", mentions.len() - MENTIONS_SHOWN);
    }
    Ok(page)
}

/// The same for programs.
///
/// # Errors
///
/// If nothing has it: a message that names the nearest one.
pub fn named_json(fabric: &Fabric, name: &str) -> Result<String, String> {
    let place = |span: Span| {
        let at = fabric.sources().location(span);
        Place { file: at.file, line: at.line, column: at.column }
    };
    let found = found(fabric, name)?;
    let things = found.iter().map(|one| Thing {
        what: &one.what,
        name: &one.name,
        at: place(one.at),
        values: one
            .values
            .iter()
            .map(|value| Fact { what: value.what, value: &value.value, written: value.written })
            .collect(),
    });
    let mentions = fabric.mentions(name).into_iter().map(place).collect();
    let page = Page { version: 1, asked: name, things: things.collect(), mentions };
    Ok(json_text::pretty(&page) + "\n")
}

#[derive(Serialize)]
struct Page<'a> {
    version: u32,
    asked: &'a str,
    things: Vec<Thing<'a>>,
    mentions: Vec<Place<'a>>,
}

#[derive(Serialize)]
struct Thing<'a> {
    what: &'a str,
    name: &'a str,
    at: Place<'a>,
    values: Vec<Fact<'a>>,
}

#[derive(Serialize)]
struct Fact<'a> {
    what: &'a str,
    value: &'a str,
    written: bool,
}

#[derive(Serialize)]
struct Place<'a> {
    file: &'a str,
    line: usize,
    column: usize,
}

fn found(fabric: &Fabric, name: &str) -> Result<Vec<Named>, String> {
    let found = fabric.named(name);
    if !found.is_empty() {
        return Ok(found);
    }
    Err(match fabric.nearest_name(name) {
        Some(nearest) => format!("nothing in the fabric is called {name}; did you mean {nearest}?"),
        None => format!(
            "nothing in the fabric is called {name}; name a switch, host, pair, segment, VRF, endpoint, address, \
             VLAN or VNI"
        ),
    })
}

/// The line of a place, without what is before and after it.
fn line(fabric: &Fabric, span: Span) -> String {
    let source = fabric.sources().file(span.file);
    let text = source.text();
    // Of a file that has changed since there is no line to show.
    let before = text.get(..span.start as usize).unwrap_or_default();
    let start = before.rfind('\n').map_or(0, |at| at + 1);
    let line: String = text[start..].lines().next().unwrap_or_default().chars().take(90).collect();
    plain(line.trim()).into_owned()
}
