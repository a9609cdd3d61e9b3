//! Sheets: tables to hand to somebody.

/// The columns of a sheet, each with the cell that a row has there.
macro_rules! line {
    ($($key:ident: $title:literal, $room:expr;)+) => {
        struct Line {
            $($key: Cell,)+
        }

        impl Line {
            fn columns() -> Vec<Column> {
                vec![$(column(stringify!($key), $title, $room)),+]
            }

            fn row(self, tone: Tone, about: Vec<Subject>) -> Row {
                Row { cells: vec![$(self.$key),+], tone, about }
            }
        }
    };
}

mod addresses;
mod adjacencies;
mod cables;
mod changes;
mod ethernet_segments;
mod evpn_routes;
mod flood_lists;
mod lags;
mod matrix;
mod members;
mod oversubscription;
mod pairs;
mod segments;
mod sessions;
mod stacks;
mod tree;
mod tunnels;
mod underlay_routes;
mod vrfs;

use std::borrow::Cow;

use comfy_table::{ColumnConstraint, ContentArrangement, Table, TableStyle, Width};
use felting::fabric::{DeviceId, SegmentId, Selection, VrfId};
use felting::progress::{Progress, Stage};
use felting::{Fabric, State};
use rayon::prelude::*;
use serde::{Serialize, Serializer};
use unicode_width::UnicodeWidthStr;

use crate::Style;
use crate::explain::wrap;
use crate::json_text;

/// A sheet as its file has it.
struct Record {
    /// The word for it.
    word: &'static str,
    /// What it shows.
    about: &'static str,
    /// Whether it is of switches that must be named.
    of_switches: bool,
    /// What changes it beside what is written.
    follows: Follows,
    /// Makes it; what is asked for matters only where a row has more to say of it than of others, or where there
    /// are no rows without.
    make: fn(&State, Option<&Selection>, &Progress) -> Sheet,
}

/// What changes a sheet beside what is written.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Follows {
    /// Nothing.
    Writing,
    /// What is down.
    Losses,
    /// What is down, and endpoints that move.
    Moves,
}

/// One line a sheet: its topic and its file.
macro_rules! topics {
    ($($(#[doc = $doc:literal])+ $topic:ident: $file:ident;)+) => {
        /// What a sheet can be about.
        #[derive(Clone, Copy, Debug, PartialEq, Eq)]
        #[non_exhaustive]
        pub enum Topic {
            $($(#[doc = $doc])+ $topic,)+
        }

        impl Topic {
            /// All topics, with the word for each and what it shows.
            pub const ALL: &'static [(Self, &'static str, &'static str)] =
                &[$((Self::$topic, $file::SHEET.word, $file::SHEET.about)),+];

            const fn record(self) -> Record {
                match self {
                    $(Self::$topic => $file::SHEET,)+
                }
            }
        }
    };
}

topics! {
    /// The two ends of every LAG, and whether it is up.
    Lags: lags;
    /// The members of every LAG, with what each says in LACP.
    Members: members;
    /// The two sides of every pair: roles, peer link, keepalive.
    Pairs: pairs;
    /// The members of every stack.
    Stacks: stacks;
    /// The leaves of every Ethernet segment.
    EthernetSegments: ethernet_segments;
    /// The spanning trees: roots, roles and states, with what decided each.
    Tree: tree;
    /// The segments and where they are.
    Segments: segments;
    /// The cables, one a row.
    Cables: cables;
    /// The addresses and numbers of every switch.
    Addresses: addresses;
    /// The links of the underlay, and whether the routers at their ends are neighbours.
    Adjacencies: adjacencies;
    /// The BGP sessions.
    Sessions: sessions;
    /// The ends of pseudowires.
    Tunnels: tunnels;
    /// The underlay's routes of one switch.
    UnderlayRoutes: underlay_routes;
    /// The EVPN routes of one VTEP.
    EvpnRoutes: evpn_routes;
    /// The segments by VTEP.
    Matrix: matrix;
    /// The VRFs.
    Vrfs: vrfs;
    /// To whom each VTEP floods frames of each segment.
    FloodLists: flood_lists;
    /// The bandwidth of each leaf to hosts and to spines.
    Oversubscription: oversubscription;
}

impl Topic {
    /// The word for it.
    pub fn word(self) -> &'static str {
        self.record().word
    }

    /// Whether what is down changes the sheet; else it shows what is written.
    pub fn follows_losses(self) -> bool {
        self.record().follows != Follows::Writing
    }

    /// Whether endpoints that move change the sheet.
    pub fn follows_moves(self) -> bool {
        self.record().follows == Follows::Moves
    }

    /// Whether the sheet is of switches that must be named.
    pub fn is_of_switches(self) -> bool {
        self.record().of_switches
    }
}

/// A value in a sheet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Cell {
    /// Nothing to say.
    Empty,
    /// A text.
    Text(String),
    /// A number.
    Number(u64),
    /// Several texts.
    List(Vec<String>),
}

impl Cell {
    fn text(text: impl Into<String>) -> Self {
        match text.into() {
            text if text.is_empty() => Self::Empty,
            text => Self::Text(text),
        }
    }

    fn list(texts: impl IntoIterator<Item = String>) -> Self {
        let all: Vec<String> = texts.into_iter().collect();
        if all.is_empty() { Self::Empty } else { Self::List(all) }
    }

    fn number(number: Option<impl Into<u64>>) -> Self {
        number.map_or(Self::Empty, |number| Self::Number(number.into()))
    }

    fn shown(&self, separator: &str) -> String {
        match self {
            Self::Empty => String::new(),
            Self::Text(text) => text.clone(),
            Self::Number(number) => number.to_string(),
            Self::List(texts) => texts.join(separator),
        }
    }

    /// The width of its longest word: what it can't be broken below.
    fn longest_word(&self) -> usize {
        let words = |text: &str| text.split_whitespace().map(UnicodeWidthStr::width).max();
        let longest = match self {
            // All but the last have a comma.
            Self::List(texts) => texts.iter().filter_map(|text| Some(words(text)? + 1)).max(),
            _ => words(&self.shown(", ")),
        };
        longest.unwrap_or(0)
    }

    /// Lines of at most so many columns; a list breaks between its texts.
    fn broken(&self, width: usize) -> String {
        let Self::List(texts) = self else { return wrap(&self.shown(", "), width) };
        let mut lines: Vec<String> = Vec::new();
        for (index, text) in texts.iter().enumerate() {
            let text = if index + 1 < texts.len() { format!("{text},") } else { text.clone() };
            match lines.last_mut() {
                Some(line) if line.width() + 1 + text.width() <= width => {
                    line.push(' ');
                    line.push_str(&text);
                }
                _ if text.width() <= width => lines.push(text),
                _ => lines.push(wrap(&text, width)),
            }
        }
        lines.join("\n")
    }
}

/// A row of a sheet: as many cells as there are columns.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Row {
    /// The cells.
    pub cells: Vec<Cell>,
    /// How it stands, for the eye.
    pub tone: Tone,
    /// What it is about, for who asks for some of it.
    pub about: Vec<Subject>,
}

/// What a row can be about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Subject {
    /// A switch or host.
    Device(DeviceId),
    /// A segment.
    Segment(SegmentId),
    /// A VRF.
    Vrf(VrfId),
}

impl Subject {
    fn is_in(self, selection: &Selection) -> bool {
        match self {
            Self::Device(device) => selection.has_device(device),
            Self::Segment(segment) => selection.has_segment(segment),
            Self::Vrf(vrf) => selection.has_vrf(vrf),
        }
    }

    /// A segment, its VRF, and the switches that have it.
    fn of_segment(fabric: &Fabric, id: SegmentId) -> Vec<Self> {
        let segment = fabric.segment(id);
        let mut all = vec![Self::Segment(id)];
        all.extend(segment.vrf.map(|vrf| Self::Vrf(vrf.value)));
        let switches = segment.presences.iter().map(|presence| fabric.presence(presence).switch);
        all.extend(switches.map(Self::Device));
        all
    }
}

/// How the thing of a row stands; a terminal with colours shows it, and the cells say it too.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tone {
    /// As it should.
    Plain,
    /// Not whole.
    Impaired,
    /// Down.
    Down,
}

impl Tone {
    fn paint(self) -> &'static str {
        match self {
            Self::Plain => "",
            Self::Impaired => "\u{1b}[33m",
            Self::Down => "\u{1b}[1;31m",
        }
    }
}

/// A column of a sheet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Column {
    /// Its name for programs.
    pub key: Cow<'static, str>,
    /// Its name for people.
    pub title: Cow<'static, str>,
    /// What becomes of it where the terminal is too narrow for all columns.
    pub room: Room,
}

/// Some of the rows as a table.
struct Part {
    table: Table,
    rows: usize,
    /// The tone of each of its lines.
    tones: Vec<Tone>,
    /// How wide the widest line of each column is.
    wide: Vec<usize>,
}

/// So many rows are laid out by one thread before it takes others.
const ROWS_AT_ONCE: usize = 1_000;

/// A column of texts is not broken into lines shorter than this.
const NARROWEST: usize = 18;

/// The keys of columns that are left out after all others: how things stand, and why.
const KEPT: [&str; 6] = ["state", "reason", "consequence", "differs", "into", "finding"];

/// The columns of a sheet that fit into a terminal.
struct Fitting<'a> {
    /// Which are shown.
    shown: Vec<usize>,
    /// How wide each column is,
    widths: Vec<usize>,
    /// and whether its cells are broken into lines to be no wider.
    breaks: Vec<bool>,
    /// The titles of those that don't fit.
    left_out: Vec<&'a str>,
}

/// How much room a column claims in a terminal.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Room {
    /// Never broken.
    Whole,
    /// Broken into lines where it is longer than this many columns.
    Lines(usize),
    /// Like [`Room::Whole`], and left out first, the last such column before the others.
    Spare,
}

/// The rows of each switch that is asked for, and for a title whose they are.
fn of_switches(
    fabric: &Fabric,
    only: Option<&Selection>,
    mut rows: impl FnMut(DeviceId) -> Vec<Row>,
) -> (String, Vec<Row>) {
    let devices: Vec<DeviceId> = only.into_iter().flat_map(Selection::devices).collect();
    let who = match devices[..] {
        [one] => fabric.device_name(one).to_owned(),
        _ => format!("{} switches", devices.len()),
    };
    (who, devices.into_iter().flat_map(&mut rows).collect())
}

/// " of saltmarsh", for a title.
fn of(fabric: &Fabric) -> String {
    if fabric.name().is_empty() { String::new() } else { format!(" of {}", fabric.name()) }
}

/// "1 pair", "3 pairs".
pub(crate) fn count(count: usize, what: &str) -> String {
    let plural = if count == 1 { "" } else { "s" };
    format!("{count} {what}{plural}")
}

fn column(key: &'static str, title: &'static str, room: Room) -> Column {
    // A key may be a word that Rust keeps for itself.
    let key = key.strip_prefix("r#").unwrap_or(key);
    Column { key: Cow::Borrowed(key), title: Cow::Borrowed(title), room }
}

/// A table: columns with a key for programs and a title for people, and rows of as many cells.
#[derive(Clone, Debug)]
pub struct Sheet {
    /// What it is about, as a word.
    pub topic: &'static str,
    /// Its heading.
    pub title: String,
    /// How many of the first columns say what a row is about.
    pub keys: usize,
    /// The columns.
    pub columns: Vec<Column>,
    /// The rows.
    pub rows: Vec<Row>,
}

/// How a sheet is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Format {
    /// For a terminal.
    Table,
    /// Comma-separated values, with the keys in the first row (RFC 4180). A cell that a spreadsheet would take for a
    /// formula begins with an apostrophe.
    Csv,
    /// The same with every cell as it is.
    CsvRaw,
    /// JSON: an object with the rows as objects.
    Json,
    /// A Markdown table.
    Markdown,
}

impl Sheet {
    /// The sheet of a topic; of a part of the fabric, the rows that are about it. A topic that
    /// [is of switches](Topic::is_of_switches) has no rows without one.
    pub fn of(topic: Topic, state: &State, only: Option<&Selection>, progress: &Progress) -> Self {
        let mut sheet = (topic.record().make)(state, only, progress);
        if let Some(only) = only {
            sheet.rows.retain(|row| row.about.iter().any(|subject| subject.is_in(only)));
        }
        sheet
    }

    /// Of one switch the first column need not say of which.
    fn without_the_only_device(mut self, only: Option<&Selection>) -> Self {
        if only.is_none_or(|only| only.devices().len() < 2) {
            self.columns.remove(0);
            self.rows.iter_mut().for_each(|row| drop(row.cells.remove(0)));
            self.keys -= 1;
        }
        self
    }

    /// The sheet as a text that ends with a line break.
    pub fn render(&self, format: Format, style: Style, progress: &Progress) -> String {
        progress.begin(Stage::Writing, self.rows.len());
        match format {
            Format::Table => self.table(style, progress),
            Format::Csv => self.csv(defused, progress),
            Format::CsvRaw => self.csv(|text| text, progress),
            Format::Json => self.json(progress),
            Format::Markdown => self.markdown(progress),
        }
    }

    fn table(&self, style: Style, progress: &Progress) -> String {
        let (bold, plain) = if style.colour { ("\u{1b}[1m", "\u{1b}[0m") } else { ("", "") };
        let lines = self.title.lines().map(|line| wrap(line, style.width));
        let title = format!("{bold}{}{plain}\n", lines.collect::<Vec<_>>().join("\n"));
        if self.rows.is_empty() {
            return format!("{title}  none\n");
        }
        let Fitting { shown, widths, breaks, left_out } = self.fitting(style.width);
        let mut header = Table::new();
        header.load_style(TableStyle::new()).set_content_arrangement(ContentArrangement::Disabled);
        header.set_header(shown.iter().map(|&index| self.columns[index].title.as_ref()));
        let parts: Vec<Part> = self
            .rows
            .par_chunks(ROWS_AT_ONCE)
            .map(|rows| Self::part(&header, rows, &shown, (&widths, &breaks)))
            .collect();
        // Each part has to be as wide as the widest.
        let mut wide = header.column_max_content_widths();
        for part in &parts {
            for (wide, own) in wide.iter_mut().zip(&part.wide) {
                *wide = (*wide).max(u16::try_from(*own).unwrap_or(u16::MAX));
            }
        }
        let drawn = parts.into_par_iter().map(|Part { mut table, rows, tones, .. }| {
            for (column, wide) in table.column_iter_mut().zip(&wide) {
                let all = wide.saturating_add(column.padding_width());
                column.set_constraint(ColumnConstraint::Absolute(Width::Fixed(all)));
            }
            let rendered = table.trim_fmt();
            let wide = rendered.lines().map(UnicodeWidthStr::width).max().unwrap_or(0);
            let (header, body) = rendered.split_once('\n').unwrap_or_default();
            let mut text = String::with_capacity(rendered.len());
            for (line, tone) in body.split('\n').zip(&tones) {
                let painted = style.colour && *tone != Tone::Plain;
                let (paint, plain) = if painted { (tone.paint(), plain) } else { ("", "") };
                text.extend([paint, line, plain, "\n"]);
            }
            progress.advance(rows);
            (header.to_owned(), wide, text)
        });
        let drawn: Vec<(String, usize, String)> = drawn.collect();
        let header = &drawn[0].0;
        let rule = "─".repeat(drawn.iter().map(|part| part.1).max().unwrap_or(0));
        let note = match left_out.is_empty() {
            true => String::new(),
            false => {
                let note = format!(
                    "No room for {}; a wider terminal or --format csv has it all.",
                    left_out.join(", ")
                );
                wrap(&note, style.width) + "\n"
            }
        };
        let mut page = format!("{title}{bold}{header}{plain}\n{rule}\n");
        page.extend(drawn.into_iter().map(|part| part.2));
        page + &note
    }

    fn part(
        header: &Table,
        rows: &[Row],
        shown: &[usize],
        (widths, breaks): (&[usize], &[bool]),
    ) -> Part {
        let mut table = header.clone();
        let mut tones = Vec::new();
        let mut wide = vec![1; shown.len()];
        for row in rows {
            let cells = shown.iter().map(|&index| match breaks[index] {
                true => row.cells[index].broken(widths[index]),
                false => row.cells[index].shown(", "),
            });
            let cells: Vec<String> = cells.collect();
            let mut height = 1;
            for (cell, wide) in cells.iter().zip(&mut wide) {
                height = height.max(cell.lines().count());
                *wide = cell.lines().map(UnicodeWidthStr::width).fold(*wide, usize::max);
            }
            tones.extend(std::iter::repeat_n(row.tone, height));
            table.add_row(cells);
        }
        Part { table, rows: rows.len(), tones, wide }
    }

    /// What fits into a width. First the spare columns are left out, then the widest of those that may be broken give
    /// way, then all that have blanks in them; at last columns are left out from the right, but for the first two, the
    /// state, and what was found.
    fn fitting(&self, width: usize) -> Fitting<'_> {
        let mut widths: Vec<usize> = (0..self.columns.len())
            .map(|index| {
                let cells = self.rows.iter().map(|row| row.cells[index].shown(", ").width());
                let widest = cells.max().unwrap_or(0);
                match self.columns[index].room {
                    Room::Lines(most) if widest > most => {
                        let words = self.rows.iter().map(|row| row.cells[index].longest_word());
                        most.max(words.max().unwrap_or(0)).min(widest)
                    }
                    Room::Lines(_) | Room::Whole | Room::Spare => widest,
                }
            })
            .collect();
        let natural = widths.clone();
        // A column in which nothing is said would only take room from the others.
        let mut shown: Vec<usize> =
            (0..self.columns.len()).filter(|&index| widths[index] > 0).collect();
        let taken = |shown: &[usize], widths: &[usize]| -> usize {
            shown.iter().map(|&i| widths[i].max(self.columns[i].title.width()) + 2).sum()
        };
        let mut left_out = Vec::new();
        while taken(&shown, &widths) > width {
            let spare = shown.iter().rposition(|&i| self.columns[i].room == Room::Spare);
            let Some(place) = spare else { break };
            left_out.insert(0, self.columns[shown.remove(place)].title.as_ref());
        }
        let is_lines = |column: &Column| matches!(column.room, Room::Lines(_));
        let mut breaks: Vec<bool> = self.columns.iter().map(is_lines).collect();
        let mut excess = taken(&shown, &widths).saturating_sub(width);
        if excess > 0 {
            let longest = |index: usize| {
                let words = self.rows.iter().map(|row| row.cells[index].longest_word());
                words.max().unwrap_or(0).max(self.columns[index].title.width())
            };
            let least: Vec<usize> = (0..self.columns.len()).map(longest).collect();
            // Those that may be broken give way first, down to a width at which a text can still be read.
            for of_lines in [true, false] {
                let least = |index: usize| match of_lines {
                    true => least[index].max(NARROWEST),
                    false => least[index],
                };
                while excess > 0 {
                    let gives = |&&index: &&usize| {
                        widths[index] > least(index)
                            && (!of_lines || is_lines(&self.columns[index]))
                    };
                    let gives = shown.iter().filter(gives);
                    let Some(&widest) = gives.max_by_key(|&&index| widths[index]) else { break };
                    widths[widest] -= 1;
                    breaks[widest] = true;
                    excess -= 1;
                }
            }
        }
        while taken(&shown, &widths) > width {
            let is_kept = |index: usize| KEPT.contains(&self.columns[index].key.as_ref());
            let mut places = (2..shown.len()).rev();
            let last =
                places.clone().find(|&place| !is_kept(shown[place])).or_else(|| places.next());
            let Some(place) = last else { break };
            left_out.insert(0, self.columns[shown.remove(place)].title.as_ref());
        }
        let wide =
            |index: usize, widths: &[usize]| widths[index].max(self.columns[index].title.width());
        // What has been left out may have made room again for what gave way.
        let mut room = width.saturating_sub(taken(&shown, &widths));
        while room > 0 {
            let wants = |&&index: &&usize| breaks[index] && wide(index, &widths) < natural[index];
            let Some(&narrowest) = shown.iter().filter(wants).min_by_key(|&&at| widths[at]) else {
                break;
            };
            widths[narrowest] = wide(narrowest, &widths) + 1;
            room -= 1;
        }
        Fitting { shown, widths, breaks, left_out }
    }

    fn csv(&self, written: fn(String) -> String, progress: &Progress) -> String {
        let mut writer = csv::Writer::from_writer(Vec::new());
        writer
            .write_record(self.columns.iter().map(|column| column.key.as_bytes()))
            .expect("writing to memory does not fail");
        for row in &self.rows {
            writer
                .write_record(row.cells.iter().map(|cell| written(cell.shown(" "))))
                .expect("writing to memory does not fail");
            progress.advance(1);
        }
        let bytes = writer.into_inner().expect("writing to memory does not fail");
        String::from_utf8(bytes).expect("made of strings")
    }

    fn json(&self, progress: &Progress) -> String {
        let page = Page { version: 1, sheet: self.topic, rows: Rows { sheet: self, progress } };
        json_text::pretty(&page) + "\n"
    }

    fn markdown(&self, progress: &Progress) -> String {
        let line = |cells: Vec<String>| format!("| {} |\n", cells.join(" | "));
        let mut page = format!("## {}\n\n", in_markdown(&self.title));
        page += &line(self.columns.iter().map(|column| in_markdown(&column.title)).collect());
        page += &line(vec!["---".to_owned(); self.columns.len()]);
        for row in &self.rows {
            page += &line(row.cells.iter().map(|cell| in_markdown(&cell.shown(", "))).collect());
            progress.advance(1);
        }
        page
    }
}

/// A cell that a spreadsheet would take for a formula as the text that it is.
fn defused(text: String) -> String {
    match text.starts_with(['=', '+', '-', '@']) && text != "-" {
        true => format!("'{text}"),
        false => text,
    }
}

/// A text in a cell of a Markdown table: neither markup, HTML nor a link, whatever is written in it.
fn in_markdown(text: &str) -> String {
    let mut page = String::with_capacity(text.len());
    for character in text.chars() {
        // The last three would make links by themselves: addresses of the web begin with ://, those of mail have an @.
        if "\\`*_{}[]<>()#|~&!".contains(character) {
            page.push('\\');
        }
        page.push(character);
    }
    page.replace("://", ":\\/\\/").replace("www.", "www\\.").replace('@', "\\@")
}

/// A sheet as JSON.
#[derive(Serialize)]
struct Page<'a> {
    version: u32,
    sheet: &'static str,
    rows: Rows<'a>,
}

struct Rows<'a> {
    sheet: &'a Sheet,
    progress: &'a Progress,
}

impl Serialize for Rows<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let columns = &self.sheet.columns;
        serializer.collect_seq(self.sheet.rows.iter().map(|row| {
            self.progress.advance(1);
            RowOf { columns, row }
        }))
    }
}

struct RowOf<'a> {
    columns: &'a [Column],
    row: &'a Row,
}

impl Serialize for RowOf<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_map(self.columns.iter().map(|column| &column.key).zip(&self.row.cells))
    }
}

impl Serialize for Cell {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Empty => serializer.serialize_none(),
            Self::Text(text) => text.serialize(serializer),
            Self::Number(number) => number.serialize(serializer),
            Self::List(texts) => texts.serialize(serializer),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use felting::Condition;

    /// What is left out last goes by keys, which are those of columns.
    #[test]
    fn what_is_left_out_last_is_a_column_of_some_sheet() {
        let fabric = Fabric::from_text("f.toml", "[[switch]]\nname = \"kelp-a\"\n");
        let quiet = Progress::default();
        let state = State::of(&fabric, &Condition::default(), &quiet);
        let sheets = Topic::ALL.iter().map(|(topic, ..)| Sheet::of(*topic, &state, None, &quiet));
        let columns: Vec<Column> = sheets.flat_map(|sheet| sheet.columns).collect();
        for key in KEPT {
            assert!(columns.iter().any(|column| column.key == key), "{key}");
        }
    }

    /// Rows are laid out in parts, and nobody sees it.
    #[test]
    fn a_long_table_is_one_table() {
        let row = |number: usize| Row {
            cells: vec![
                Cell::text(format!("leaf-{number}")),
                // The widest of all is in the last part, and one of a single part has two lines.
                match number {
                    2_499 => Cell::text("a site with a long name"),
                    1_200 => Cell::List(vec!["first of a few".into(), "second of a few".into()]),
                    _ => Cell::text("ü"),
                },
            ],
            tone: if number == 1_200 { Tone::Down } else { Tone::Plain },
            about: Vec::new(),
        };
        let sheet = Sheet {
            topic: "sites",
            title: "Sites".to_owned(),
            keys: 1,
            columns: vec![
                column("leaf", "leaf", Room::Whole),
                column("site", "site", Room::Lines(23)),
            ],
            rows: (0..2_500).map(row).collect(),
        };
        let text =
            sheet.render(Format::Table, Style { colour: false, width: 80 }, &Progress::default());
        let lines: Vec<&str> = text.lines().collect();
        assert_eq!(lines.len(), 3 + 2_500 + 1);
        assert_eq!(lines[1], " leaf       site");
        assert_eq!(lines[2].chars().count(), lines[3 + 2_500].chars().count());
        assert_eq!(lines[3], " leaf-0     ü");
        assert_eq!(
            lines[3 + 1_200..][..2],
            [" leaf-1200  first of a few,", "            second of a few"]
        );
        assert_eq!(lines[3 + 2_500], " leaf-2499  a site with a long name");
        let painted =
            sheet.render(Format::Table, Style { colour: true, width: 80 }, &Progress::default());
        let down: Vec<&str> =
            painted.lines().filter(|line| line.starts_with(Tone::Down.paint())).collect();
        assert_eq!(down.len(), 2, "both lines of the row, and no other: {down:?}");
    }

    /// A column is told from another by its key, whatever a switch is called.
    #[test]
    fn a_switch_may_be_called_like_a_column() {
        let text = "[[switch]]\nname = \"vrf\"\n[[switch]]\nname = \"segment\"\n[[segment]]\nname = \"web\"\n\
                    vlan = 10\non = [\"vrf\", \"segment\"]\n";
        let fabric = Fabric::from_text("shore.toml", text);
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        let sheet = Sheet::of(Topic::Matrix, &state, None, &Progress::default());
        let keys: Vec<&str> = sheet.columns.iter().map(|column| column.key.as_ref()).collect();
        assert_eq!(keys, ["segment", "vrf", "VTEP vrf", "VTEP segment"], "{:?}", fabric.faults());
    }
}
