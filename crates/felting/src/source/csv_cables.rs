//! Cable lists as people keep them in spreadsheets.

use std::ops::Range;

use smol_str::SmolStr;

use super::fault::FaultKind;
use super::read::{Cx, MOST_TEXT};
use super::runs::{Run, RunEnd};
use crate::diagnostic::{At, Span, nearest, plain};

const NEEDED: [&str; 4] = ["near", "near_port", "far", "far_port"];
const OPTIONAL: [&str; 3] = ["medium", "length", "label"];

/// Reads a cable list; `cx` is on the CSV file.
pub(crate) fn read(cx: &mut Cx<'_>, layer: usize) -> Vec<Run> {
    let mut reader =
        csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(cx.text.as_bytes());
    let (mut places, mut runs) = (None, Vec::new());
    let mut record = csv::ByteRecord::new();
    loop {
        match reader.read_byte_record(&mut record) {
            Ok(true) => {
                let at = record.position().map_or(0, csv::Position::byte);
                let row = cells(cx, usize::try_from(at).unwrap_or(usize::MAX));
                if row.iter().all(|cell| cell.value.is_empty()) {
                    continue;
                }
                match &places {
                    None => {
                        let Some(columns) = columns(cx, &row) else { return Vec::new() };
                        places = Some(columns);
                    }
                    Some(columns) => runs.extend(run(cx, columns, &row, layer)),
                }
            }
            Ok(false) => break,
            Err(error) => {
                let at = Span::whole(cx.file);
                cx.faults.add(
                    FaultKind::Syntax,
                    at,
                    format!("the cable list is not CSV: {error}"),
                    "expected comma-separated values",
                    "save the sheet as CSV in UTF-8",
                );
                return Vec::new();
            }
        }
    }
    if places.is_none() {
        let at = Span::whole(cx.file);
        cx.faults.add(
            FaultKind::Empty,
            at,
            "the cable list is empty",
            format!("expected a first row with {}", NEEDED.join(",")),
            "add the header row and a row a cable",
        );
    }
    runs
}

/// The place of each known column in a row.
struct Columns([Option<usize>; 7]);

fn columns(cx: &mut Cx<'_>, header: &[At<SmolStr>]) -> Option<Columns> {
    let known: Vec<_> = NEEDED.iter().chain(&OPTIONAL).copied().collect();
    for cell in header.iter().filter(|cell| !known.contains(&cell.value.as_str())) {
        let remedy = match nearest(&cell.value, known.iter().copied()) {
            Some(name) => format!("did you mean `{name}`?"),
            None => format!("the columns are {}", known.join(", ")),
        };
        let message = format!("a cable list has no column `{}`", cell.value);
        cx.faults.add(FaultKind::UnknownKey, cell.span, message, "not a known column", remedy);
    }
    let mut seen: Vec<&At<SmolStr>> = Vec::new();
    for cell in header.iter().filter(|cell| known.contains(&cell.value.as_str())) {
        match seen.iter().find(|first| first.value == cell.value) {
            Some(first) => {
                let message = format!("the cable list has two columns `{}`", cell.value);
                let remedy = "take one of them out, or rename it";
                cx.faults
                    .add(FaultKind::Syntax, cell.span, message, "named again", remedy)
                    .related(first.span, "named first");
            }
            None => seen.push(cell),
        }
    }
    let place = |name: &str| header.iter().position(|cell| cell.value == name);
    let places = Columns(std::array::from_fn(|index| place(known[index])));
    let missing: Vec<_> = NEEDED.into_iter().filter(|name| place(name).is_none()).collect();
    if !missing.is_empty() {
        let at = Span { end: header.last()?.span.end, ..header.first()?.span };
        cx.faults.add(
            FaultKind::MissingColumn,
            at,
            format!("the cable list lacks the column {}", missing.join(", ")),
            format!("expected {}", NEEDED.join(",")),
            match cx.text.lines().next().unwrap_or_default().contains([';', '\t']) {
                true => "separate the columns by commas, not by semicolons or tabs",
                false => "name the columns in the first row",
            },
        );
        return None;
    }
    Some(places)
}

fn run(cx: &mut Cx<'_>, columns: &Columns, row: &[At<SmolStr>], layer: usize) -> Option<Run> {
    let span = Span { end: row.last()?.span.end, ..row.first()?.span };
    let cell = |column: usize| {
        let cell = columns.0[column].and_then(|place| row.get(place)).cloned();
        cell.filter(|cell| !cell.value.is_empty())
    };
    let mut needed = |column: usize| {
        if cell(column).is_none() {
            let name = NEEDED[column];
            cx.faults.add(
                FaultKind::MissingKey,
                span,
                format!("a row of the cable list lacks its `{name}`"),
                format!("expected a value in the column `{name}`"),
                "fill the cell, or take the row out",
            );
        }
        cell(column)
    };
    let (near, near_port, far, far_port) = (needed(0), needed(1), needed(2), needed(3));
    Some(Run {
        near: RunEnd { device: near?, port: near_port? },
        far: RunEnd { device: far?, port: far_port? },
        span,
        medium: parsed(cx, OPTIONAL[0], cell(4)),
        length: parsed(cx, OPTIONAL[1], cell(5)),
        label: cell(6),
        loopback: false,
        layer,
    })
}

fn parsed<T: std::str::FromStr<Err: std::fmt::Display>>(
    cx: &mut Cx<'_>,
    column: &str,
    cell: Option<At<SmolStr>>,
) -> Option<At<T>> {
    let cell = cell?;
    match cell.value.parse() {
        Ok(value) => Some(At::new(value, cell.span)),
        Err(error) => {
            cx.bad_value(column, cell.span, &cell.value, &T::Err::to_string(&error));
            None
        }
    }
}

/// The cells of the record that begins at a byte, trimmed, each with its exact place.
fn cells(cx: &mut Cx<'_>, start: usize) -> Vec<At<SmolStr>> {
    let bytes = cx.text.as_bytes();
    let mut at = start;
    // Spreadsheets begin UTF-8 with a byte order mark.
    if at == 0 && bytes.starts_with("\u{feff}".as_bytes()) {
        at = "\u{feff}".len();
    }
    // The reader's position may stand before the line break of the record before.
    while matches!(bytes.get(at), Some(b'\n' | b'\r')) {
        at += 1;
    }
    let mut cells = Vec::new();
    loop {
        let quoted = bytes.get(at) == Some(&b'"');
        let range = if quoted { quoted_cell(bytes, at) } else { plain_cell(bytes, at) };
        at = range.end + usize::from(quoted);
        let after = at;
        while !matches!(bytes.get(at), None | Some(b',' | b'\n' | b'\r')) {
            at += 1;
        }
        if quoted && !cx.text.get(after..at).unwrap_or_default().trim().is_empty() {
            let place = cx.span(after..at);
            cx.faults.add(
                FaultKind::Syntax,
                place,
                "a cell of the cable list goes on after its closing quote",
                "expected a comma or the end of the row",
                "put the quotes around the whole cell, and write a quote inside it twice",
            );
        }
        let text = cx.text.get(range.clone()).unwrap_or_default();
        let from = range.start + (text.len() - text.trim_start().len());
        let text = match text.trim() {
            long if long.len() > MOST_TEXT => {
                let at = cx.span(from..from + long.len());
                cx.faults.add(
                    FaultKind::TooLarge,
                    at,
                    format!("a cell of the cable list has {} bytes", long.len()),
                    format!("expected {MOST_TEXT} bytes at most"),
                    "write a shorter text",
                );
                ""
            }
            text => text,
        };
        let value = if quoted {
            SmolStr::new(plain(&text.replace("\"\"", "\"")))
        } else {
            SmolStr::new(plain(text))
        };
        cells.push(At::new(value, cx.span(from..from + text.len())));
        match bytes.get(at) {
            Some(b',') => at += 1,
            _ => return cells,
        }
    }
}

fn plain_cell(bytes: &[u8], start: usize) -> Range<usize> {
    let length = bytes[start..].iter().take_while(|byte| !matches!(byte, b',' | b'\n' | b'\r'));
    start..start + length.count()
}

fn quoted_cell(bytes: &[u8], start: usize) -> Range<usize> {
    let mut end = start + 1;
    while let Some(&byte) = bytes.get(end) {
        match (byte, bytes.get(end + 1)) {
            (b'"', Some(b'"')) => end += 2,
            (b'"', _) => break,
            _ => end += 1,
        }
    }
    start + 1..end.min(bytes.len())
}
