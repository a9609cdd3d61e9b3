//! Sheets: tables to hand to somebody.

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
mod underlay_routes;
mod vrfs;

use std::borrow::Cow;

use comfy_table::{ContentArrangement, Table, TableStyle};
use felting::fabric::DeviceId;
use felting::{Fabric, State};

use crate::Style;
use crate::explain::wrap;

/// What a sheet can be about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Topic {
    /// The two ends of every LAG, and whether it is up.
    Lags,
    /// The members of every LAG, with what each says in LACP.
    Members,
    /// The two sides of every pair: roles, peer link, keepalive.
    Pairs,
    /// The members of every stack.
    Stacks,
    /// The leaves of every Ethernet segment.
    EthernetSegments,
    /// The spanning trees: roots, roles and states, with what decided each.
    Tree,
    /// The segments and where they are.
    Segments,
    /// The cables, one a row.
    Cables,
    /// The addresses and numbers of every switch.
    Addresses,
    /// The links of the underlay, and whether the routers at their ends are neighbors.
    Adjacencies,
    /// The BGP sessions.
    Sessions,
    /// The underlay's routes of one switch.
    UnderlayRoutes,
    /// The EVPN routes of one VTEP.
    EvpnRoutes,
    /// The segments by VTEP.
    Matrix,
    /// The VRFs.
    Vrfs,
    /// To whom each VTEP floods frames of each segment.
    FloodLists,
    /// The bandwidth of each leaf to hosts and to spines.
    Oversubscription,
}

impl Topic {
    /// All topics, with the word for each and what it shows.
    pub const ALL: &'static [(Self, &'static str, &'static str)] = &[
        (Self::Lags, "lags", "every LAG end: is it up, on what, and if not why not"),
        (
            Self::Members,
            "members",
            "every LAG member: selected or not and why, and what its LACPDUs read",
        ),
        (Self::Pairs, "pairs", "every pair: who is primary and why, peer link, keepalive, groups"),
        (Self::Stacks, "stacks", "every stack member: who is master and why, stack links"),
        (
            Self::EthernetSegments,
            "ethernet-segments",
            "every Ethernet segment from each of its leaves",
        ),
        (Self::Tree, "tree", "the spanning trees: root, role and state of each port, and why"),
        (Self::Segments, "segments", "every segment: VLAN, VNI, VRF, subnets, and where it is"),
        (Self::Cables, "cables", "every cable, with the ranges spread out"),
        (
            Self::Addresses,
            "addresses",
            "every address and number of every switch, written or allotted",
        ),
        (
            Self::Adjacencies,
            "adjacencies",
            "every underlay link: are its routers neighbors, and if not why not",
        ),
        (Self::Sessions, "sessions", "every BGP session: is it up, what it carries, who reflects"),
        (
            Self::UnderlayRoutes,
            "underlay-routes",
            "the underlay's routes of one switch (--of), with all equal next hops",
        ),
        (
            Self::EvpnRoutes,
            "evpn-routes",
            "the EVPN routes of one VTEP (--of): its own, those of others, what is \
                 taken and why not",
        ),
        (Self::Matrix, "matrix", "the segments by VTEP, with their VNIs"),
        (Self::Vrfs, "vrfs", "every VRF: VNI, targets, segments, leaks, the way out"),
        (Self::FloodLists, "flood-lists", "to whom each VTEP floods frames of each segment"),
        (
            Self::Oversubscription,
            "oversubscription",
            "the bandwidth of each leaf to hosts and to spines",
        ),
    ];
}

impl Topic {
    /// Whether the sheet is of one switch, which must be named.
    pub fn is_of_one(self) -> bool {
        matches!(self, Self::UnderlayRoutes | Self::EvpnRoutes)
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

    /// Lines of at most so many columns; a list breaks between its texts.
    fn broken(&self, width: usize) -> String {
        let Self::List(texts) = self else { return wrap(&self.shown(", "), width) };
        let mut lines: Vec<String> = Vec::new();
        for (index, text) in texts.iter().enumerate() {
            let text = if index + 1 < texts.len() { format!("{text},") } else { text.clone() };
            match lines.last_mut() {
                Some(line) if line.chars().count() + 1 + text.chars().count() <= width => {
                    line.push(' ');
                    line.push_str(&text);
                }
                _ => lines.push(text),
            }
        }
        lines.join("\n")
    }

    fn json(&self) -> serde_json::Value {
        match self {
            Self::Empty => serde_json::Value::Null,
            Self::Text(text) => text.as_str().into(),
            Self::Number(number) => (*number).into(),
            Self::List(texts) => texts.as_slice().into(),
        }
    }
}

/// A row of a sheet: as many cells as there are columns.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Row {
    /// The cells.
    pub cells: Vec<Cell>,
    /// How it stands, for the eye.
    pub tone: Tone,
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

/// A column of texts is not broken into lines shorter than this.
const NARROWEST: usize = 18;

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

/// " of saltmarsh", for a title.
fn of(fabric: &Fabric) -> String {
    if fabric.name().is_empty() { String::new() } else { format!(" of {}", fabric.name()) }
}

/// "1 pair", "3 pairs".
fn count(count: usize, what: &str) -> String {
    let plural = if count == 1 { "" } else { "s" };
    format!("{count} {what}{plural}")
}

const fn column(key: &'static str, title: &'static str, room: Room) -> Column {
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
    /// Comma-separated values, with the keys in the first row (RFC 4180).
    Csv,
    /// JSON: an object with the rows as objects.
    Json,
    /// A Markdown table.
    Markdown,
}

impl Sheet {
    /// The sheet of a topic. One that [is of one switch](Topic::is_of_one) is empty without it.
    pub fn of(topic: Topic, fabric: &Fabric, state: &State) -> Self {
        Self::make(topic, fabric, state, None)
    }

    /// The rows of a topic that are about one switch, where a sheet has rows by switch; else the whole
    /// sheet.
    pub fn of_switch(topic: Topic, fabric: &Fabric, state: &State, switch: DeviceId) -> Self {
        Self::make(topic, fabric, state, Some(switch))
    }

    fn make(topic: Topic, fabric: &Fabric, state: &State, only: Option<DeviceId>) -> Self {
        match topic {
            Topic::Addresses => addresses::sheet(fabric, only),
            Topic::Adjacencies => adjacencies::sheet(fabric, state, only),
            Topic::Sessions => sessions::sheet(fabric, state, only),
            Topic::UnderlayRoutes => underlay_routes::sheet(fabric, state, only),
            Topic::EvpnRoutes => evpn_routes::sheet(fabric, state, only),
            Topic::Matrix => matrix::sheet(fabric),
            Topic::Vrfs => vrfs::sheet(fabric, state),
            Topic::FloodLists => flood_lists::sheet(fabric, state, only),
            Topic::Oversubscription => oversubscription::sheet(fabric, only),
            Topic::Lags => lags::sheet(fabric, state),
            Topic::Members => members::sheet(fabric, state),
            Topic::Pairs => pairs::sheet(fabric, state),
            Topic::Stacks => stacks::sheet(fabric, state),
            Topic::EthernetSegments => ethernet_segments::sheet(fabric, state),
            Topic::Tree => tree::sheet(fabric, state),
            Topic::Segments => segments::sheet(fabric),
            Topic::Cables => cables::sheet(fabric, state),
        }
    }

    /// The sheet as a text that ends with a line break.
    pub fn render(&self, format: Format, style: Style) -> String {
        match format {
            Format::Table => self.table(style),
            Format::Csv => self.csv(),
            Format::Json => self.json(),
            Format::Markdown => self.markdown(),
        }
    }

    fn table(&self, style: Style) -> String {
        let (bold, plain) = if style.colour { ("\u{1b}[1m", "\u{1b}[0m") } else { ("", "") };
        let title = format!("{bold}{}{plain}\n", self.title);
        if self.rows.is_empty() {
            return format!("{title}  none\n");
        }
        let (shown, widths, left_out) = self.fitting(style.width);
        let mut table = Table::new();
        table.load_style(TableStyle::new()).set_content_arrangement(ContentArrangement::Disabled);
        table.set_header(shown.iter().map(|&index| self.columns[index].title.as_ref()));
        let mut tones = Vec::new();
        for row in &self.rows {
            let cells = shown.iter().map(|&index| match self.columns[index].room {
                Room::Lines(_) => row.cells[index].broken(widths[index]),
                Room::Whole | Room::Spare => row.cells[index].shown(", "),
            });
            let cells: Vec<String> = cells.collect();
            let height = cells.iter().map(|cell| cell.lines().count()).max().unwrap_or(1).max(1);
            tones.extend(std::iter::repeat_n(row.tone, height));
            table.add_row(cells);
        }
        let rendered = table.trim_fmt();
        let mut lines = rendered.lines();
        let header = lines.next().unwrap_or_default();
        let rule = "─".repeat(rendered.lines().map(|line| line.chars().count()).max().unwrap_or(0));
        let body: String = lines
            .zip(tones)
            .flat_map(|(line, tone)| match style.colour && tone != Tone::Plain {
                true => [tone.paint(), line, plain, "\n"],
                false => ["", line, "", "\n"],
            })
            .collect();
        let note = match left_out.is_empty() {
            true => String::new(),
            false => format!(
                "No room for {}; a wider terminal or --format csv has it all.\n",
                left_out.join(", ")
            ),
        };
        format!("{title}{bold}{header}{plain}\n{rule}\n{body}{note}")
    }

    /// The columns that fit into a width, how wide each column is, and the titles of those that don't
    /// fit. When nothing more can be left out, the widest of those that may be broken give way.
    fn fitting(&self, width: usize) -> (Vec<usize>, Vec<usize>, Vec<&str>) {
        let mut widths: Vec<usize> = (0..self.columns.len())
            .map(|index| {
                let cells =
                    self.rows.iter().map(|row| row.cells[index].shown(", ").chars().count());
                let widest = cells.max().unwrap_or(0);
                match self.columns[index].room {
                    Room::Lines(most) => widest.min(most),
                    Room::Whole | Room::Spare => widest,
                }
            })
            .collect();
        // A column in which nothing is said would only take room from the others.
        let mut shown: Vec<usize> =
            (0..self.columns.len()).filter(|&index| widths[index] > 0).collect();
        let taken = |shown: &[usize], widths: &[usize]| -> usize {
            shown.iter().map(|&i| widths[i].max(self.columns[i].title.chars().count()) + 2).sum()
        };
        let mut left_out = Vec::new();
        while taken(&shown, &widths) > width {
            let spare = shown.iter().rposition(|&i| self.columns[i].room == Room::Spare);
            let Some(place) = spare else { break };
            left_out.insert(0, self.columns[shown.remove(place)].title.as_ref());
        }
        let mut excess = taken(&shown, &widths).saturating_sub(width);
        while excess > 0 {
            let breaks = |&&index: &&usize| {
                matches!(self.columns[index].room, Room::Lines(_)) && widths[index] > NARROWEST
            };
            let Some(&widest) = shown.iter().filter(breaks).max_by_key(|&&index| widths[index])
            else {
                break;
            };
            widths[widest] -= 1;
            excess -= 1;
        }
        (shown, widths, left_out)
    }

    fn csv(&self) -> String {
        let mut writer = csv::Writer::from_writer(Vec::new());
        let rows =
            std::iter::once(self.columns.iter().map(|column| column.key.to_string()).collect())
                .chain(
                    self.rows.iter().map(|row| row.cells.iter().map(|c| c.shown(" ")).collect()),
                );
        for row in rows {
            let row: Vec<String> = row;
            writer.write_record(&row).expect("writing to memory does not fail");
        }
        let bytes = writer.into_inner().expect("writing to memory does not fail");
        String::from_utf8(bytes).expect("made of strings")
    }

    fn json(&self) -> String {
        let row = |row: &Row| -> serde_json::Value {
            let cells = self.columns.iter().zip(&row.cells);
            cells
                .map(|(column, cell)| (column.key.to_string(), cell.json()))
                .collect::<serde_json::Map<_, _>>()
                .into()
        };
        let page = serde_json::json!({
            "version": 1,
            "sheet": self.topic,
            "rows": self.rows.iter().map(row).collect::<Vec<_>>(),
        });
        let mut text =
            serde_json::to_string_pretty(&page).expect("strings and numbers always serialise");
        text.push('\n');
        text
    }

    fn markdown(&self) -> String {
        let line = |cells: Vec<String>| format!("| {} |\n", cells.join(" | "));
        let mut page = format!("## {}\n\n", self.title);
        page += &line(self.columns.iter().map(|column| column.title.to_string()).collect());
        page += &line(vec!["---".to_owned(); self.columns.len()]);
        for row in &self.rows {
            page +=
                &line(row.cells.iter().map(|cell| cell.shown(", ").replace('|', "\\|")).collect());
        }
        page
    }
}
