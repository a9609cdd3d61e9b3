//! The report: one page for the meeting, with everything in it and nothing fetched.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use askama::Template;
use felting::diagnostic::{Finding, Report, Severity};
use felting::fabric::{Expectation, ExpectationId, Loss, Selection, Terminal};
use felting::progress::{Progress, Stage};
use felting::walk::{Failure, Lost, Options, Unmet, Walk, Walker};
use felting::{Fabric, State};

use felting_view::sheet::{Cell, Row, Sheet, Tone, Topic};
use felting_view::{Checked, Drawer, Style, Walked, sum};

use crate::{Drawing, Theme};

/// As many drawings are of the whole fabric.
const DRAWINGS: usize = 4;
/// As many findings are written out.
const FINDINGS_SHOWN: usize = 1000;
/// As many expectations that hold are listed.
const EXPECTATIONS_SHOWN: usize = 200;
/// Of as many expectations the walk is shown.
const WALKS_SHOWN: usize = 50;
/// As many walks of expectations that fail are drawn.
const WALKS_DRAWN: usize = 6;
/// A sheet with more rows is folded by pair or rack.
const ROWS_WHOLE: usize = 400;
/// Of a sheet with more rows, only those are written out that are not as they should be.
const ROWS_WRITTEN: usize = 4000;
/// A matrix with more VTEPs is written as lists.
const MATRIX_COLUMNS: usize = 26;
/// The routes of each switch are there for fabrics of up to this many.
const SWITCHES_WITH_ROUTES: usize = 24;

/// Flood lists name every other VTEP for every segment; they are there for up to this many.
const PRESENCES_FLOODED: usize = 2000;

#[derive(Template)]
#[template(path = "report.html")]
struct Page {
    name: String,
    sum: String,
    verdict: &'static str,
    day: String,
    inks: String,
    style: &'static str,
    script: &'static str,
    families: Vec<Counts>,
    all: Counts,
    incomplete: Vec<String>,
    findings: Vec<FindingPart>,
    left_out: usize,
    accepted: Vec<AcceptedPart>,
    drawings: Vec<DrawingPart>,
    expectations: Vec<ExpectationPart>,
    expectations_left: usize,
    sheets: Vec<SheetPart>,
}

#[derive(Default)]
struct Counts {
    family: &'static str,
    error: usize,
    warning: usize,
    hint: usize,
}

impl Counts {
    fn count(&mut self, severity: Severity, more: usize) {
        match severity {
            Severity::Error => self.error += more,
            Severity::Warning => self.warning += more,
            Severity::Hint => self.hint += more,
        }
    }
}

struct FindingPart {
    number: usize,
    severity: &'static str,
    rule: &'static str,
    message: String,
    excerpt: String,
    /// The names that it is about, as JSON.
    about: String,
    drawn: bool,
    open: bool,
}

struct AcceptedPart {
    rule: &'static str,
    message: String,
    reason: String,
    until: String,
}

struct DrawingPart {
    id: &'static str,
    svg: String,
}

struct ExpectationPart {
    what: String,
    holds: bool,
    failure: String,
    walk: String,
    svg: String,
}

struct SheetPart {
    id: &'static str,
    title: String,
    note: String,
    columns: Vec<String>,
    groups: Vec<GroupPart>,
}

struct GroupPart {
    /// Empty if it is the only one.
    name: String,
    rows: Vec<RowPart>,
}

struct RowPart {
    tone: &'static str,
    cells: Vec<String>,
}

/// What a report is made of.
#[derive(Clone, Copy, Debug)]
pub struct Reported<'a> {
    /// The state of the fabric.
    pub state: &'a State,
    /// Of which part of it; of all if none is given. The findings are those of [`Selection::retain`].
    pub only: Option<&'a Selection>,
    /// What the rules found.
    pub report: &'a Report,
    /// The expectations that do not hold, as [`felting::walk::judge`] tells them.
    pub failures: &'a [Failure],
    /// What is down, as `--cut` and `--move` say it.
    pub down: &'a [String],
    /// How many findings nobody asked for.
    pub left_out: usize,
    /// The day that the report is of, as it is to be shown.
    pub day: &'a str,
}

/// The report as one HTML page that needs nothing else: summary, findings with their excerpts, drawings with
/// the findings at their places, expectations with their walks, all sheets. Scripts are its own, and all of it
/// can be read without them.
pub fn report(reported: &Reported<'_>, progress: &Progress) -> String {
    let Reported { state, only, report, failures, down, left_out, day } = *reported;
    let fabric = state.fabric();
    let checked = Checked { down, left_out, ..Checked::new(fabric, report) };
    let parts = DRAWINGS + Topic::ALL.len() + fabric.expectations().len();
    // The last is the page itself.
    progress.begin(Stage::Writing, parts + report.findings.len().min(FINDINGS_SHOWN) + 1);
    let drawings = drawings(state, only, report, progress);
    let (expectations, expectations_left) = expectations(state, only, failures, progress);
    let page = Page {
        name: if fabric.name().is_empty() { "the fabric" } else { fabric.name() }.to_owned(),
        // The name stands above it already.
        sum: sum(&checked).split_once(": ").map_or_else(String::new, |(_, sum)| sum.to_owned()),
        verdict: match (fabric.is_complete(), report.worst()) {
            (false, _) | (true, Some(Severity::Error)) => "error",
            (true, Some(Severity::Warning)) => "warning",
            (true, Some(Severity::Hint)) => "hint",
            (true, None) => "holds",
        },
        day: {
            let part = only.map(|only| format!(", of {} alone", only.words())).unwrap_or_default();
            match down {
                [] => format!("as of {day}{part}"),
                down => format!("as of {day}, with {}{part}", down.join(" and ")),
            }
        },
        inks: crate::inks(),
        style: include_str!("../templates/report.css"),
        script: include_str!("../templates/report.js"),
        families: families(report),
        all: {
            let mut all = Counts::default();
            for severity in Severity::ALL {
                all.count(*severity, report.count(*severity));
            }
            all
        },
        incomplete: {
            let drawer = Drawer::new(fabric, Style::PLAIN);
            fabric.faults().iter().map(|fault| drawer.fault(fault)).collect()
        },
        findings: findings(fabric, report, &drawings, progress),
        left_out: report.total().saturating_sub(FINDINGS_SHOWN),
        accepted: report
            .accepted
            .iter()
            .map(|accepted| AcceptedPart {
                rule: accepted.finding.rule.id,
                message: accepted.finding.what.message.clone(),
                reason: accepted.reason.to_string(),
                until: accepted.until.map(|until| until.to_string()).unwrap_or_default(),
            })
            .collect(),
        drawings: drawings
            .into_iter()
            .map(|(id, drawing)| DrawingPart { id, svg: drawing.svg(Theme::Light) })
            .collect(),
        expectations,
        expectations_left,
        sheets: sheets(state, only, progress),
    };
    // Writing to a String cannot fail.
    let page = page.render().unwrap_or_default();
    progress.advance(1);
    page
}

fn families(report: &Report) -> Vec<Counts> {
    let mut families: Vec<Counts> = Vec::new();
    for rule in felting::rules::all() {
        let found = report.findings.iter().filter(|finding| finding.rule.id == rule.id);
        let found = found.map(|finding| (finding.severity, 1));
        let beyond = report.beyond.iter().filter(|one| one.rule == rule.id && !one.accepted);
        let beyond = beyond.map(|beyond| (beyond.severity, beyond.count));
        for (severity, count) in found.chain(beyond) {
            if families.last().is_none_or(|last| last.family != rule.family()) {
                families.push(Counts { family: rule.family(), ..Counts::default() });
            }
            if let Some(last) = families.last_mut() {
                last.count(severity, count);
            }
        }
    }
    families
}

fn findings(
    fabric: &Fabric,
    report: &Report,
    drawings: &[(&'static str, Drawing)],
    progress: &Progress,
) -> Vec<FindingPart> {
    let drawer = Drawer::new(fabric, Style::PLAIN);
    let drawn: BTreeSet<&str> = drawings.iter().flat_map(|(_, drawing)| drawing.names()).collect();
    let few = report.findings.len() <= 3;
    let part = |(at, finding): (usize, &Finding)| FindingPart {
        number: at + 1,
        severity: finding.severity.word(),
        rule: finding.rule.id,
        message: finding.what.message.clone(),
        excerpt: drawer.finding(finding),
        about: serde_json::to_string(
            &finding.about.iter().map(AsRef::as_ref).collect::<Vec<&str>>(),
        )
        .unwrap_or_default(),
        drawn: finding.about.iter().any(|name| drawn.contains(name.as_str())),
        open: few,
    };
    // The worst first, each with the number that it has in the drawings.
    let mut all: Vec<(usize, &Finding)> = report.findings.iter().enumerate().collect();
    all.sort_by_key(|(at, finding)| (finding.rank(), *at));
    let shown = all.into_iter().take(FINDINGS_SHOWN).map(part);
    shown.inspect(|_| progress.advance(1)).collect()
}

fn drawings(
    state: &State,
    only: Option<&Selection>,
    report: &Report,
    progress: &Progress,
) -> Vec<(&'static str, Drawing)> {
    let all: [(_, &dyn Fn() -> _); DRAWINGS] = [
        ("cabling", &|| crate::cabling(state, only)),
        ("overlay", &|| crate::overlay(state, only)),
        ("tenants", &|| crate::tenants(state, only)),
        ("tree", &|| crate::tree(state, None, only)),
    ];
    let drawn = all.into_iter().filter_map(|(id, draw)| {
        let drawing = draw().ok().map(|drawing| (id, drawing.with_marks(report)));
        progress.advance(1);
        drawing
    });
    drawn.collect()
}

/// An expectation in words.
fn words(fabric: &Fabric, expectation: &Expectation) -> String {
    let names = |ends: &[felting::diagnostic::At<Terminal>]| {
        let names: Vec<String> = ends.iter().map(|end| fabric.terminal_name(end.value)).collect();
        match names.len() {
            0..=4 => names.join(", "),
            count => format!("{}, {} and {} more", names[0], names[1], count - 2),
        }
    };
    let (from, to) = (names(&expectation.from), names(&expectation.to));
    let reaches = if expectation.reaches.value { "reaches" } else { "must not reach" };
    let mut text = format!("{from} {reaches} {to}");
    // Writing to a String cannot fail, here and below.
    if let Some(vni) = expectation.vni {
        let _ = write!(text, " in VNI {}", vni.value);
    }
    if let Some(vrf) = expectation.vrf {
        let _ = write!(text, " by VRF {}", fabric.vrf(vrf.value).name.value);
    }
    if let Some(hops) = expectation.hops {
        let _ = write!(text, " over at most {} routers", hops.value);
    }
    if let Some(mtu) = expectation.mtu {
        let _ = write!(text, " with room for {} bytes", mtu.value.get());
    }
    let losses: Vec<&str> = expectation
        .despite
        .iter()
        .filter_map(|loss| match &loss.value {
            Loss::AnyCable => Some("any-cable"),
            Loss::AnySwitch => Some("any-switch"),
            Loss::AnyCableOrSwitch => Some("any-cable-or-switch"),
            Loss::Thing(what) => Some(what.as_str()),
            Loss::Nothing => None,
        })
        .collect();
    if !losses.is_empty() {
        let _ = write!(text, " despite the loss of {}", losses.join(", or "));
    }
    text
}

fn failed(fabric: &Fabric, failure: &Failure) -> String {
    let what = match &failure.unmet {
        Unmet::NoWalk(error) => error.to_string(),
        Unmet::NotReached => "it is not reached".to_owned(),
        Unmet::Reached => "it is reached".to_owned(),
        Unmet::Vni(vni) => format!("packets are in VNI {vni}"),
        Unmet::Vrf => "that VRF does not route it".to_owned(),
        Unmet::Hops(count) => format!("it takes {count} routers"),
        Unmet::Mtu(mtu) => format!("there is room for {mtu} bytes"),
        _ => "it does not hold".to_owned(),
    };
    match &failure.lost {
        Lost::Nothing => what,
        lost => format!("{what} without {}", lost.words(fabric)),
    }
}

fn expectations(
    state: &State,
    only: Option<&Selection>,
    failures: &[Failure],
    progress: &Progress,
) -> (Vec<ExpectationPart>, usize) {
    let fabric = state.fabric();
    let failed_of: BTreeMap<ExpectationId, &Failure> =
        failures.iter().map(|failure| (failure.expectation, failure)).collect();
    let mut walker = Walker::new(state);
    let mut parts = Vec::new();
    let (mut walks, mut drawn, mut left) = (0, 0, 0);
    let ends = |expectation: &Expectation| {
        let mut ends = expectation.from.iter().chain(&expectation.to);
        only.is_none_or(|only| ends.any(|end| has_end(state, only, end.value)))
    };
    for (id, expectation) in fabric.expectations() {
        progress.advance(1);
        if !ends(expectation) {
            continue;
        }
        let failure = failed_of.get(&id).copied();
        if failure.is_none() && parts.len() >= EXPECTATIONS_SHOWN {
            left += 1;
            continue;
        }
        let mut part = ExpectationPart {
            what: words(fabric, expectation),
            holds: failure.is_none(),
            failure: failure.map(|failure| failed(fabric, failure)).unwrap_or_default(),
            walk: String::new(),
            svg: String::new(),
        };
        match failure {
            Some(failure) if drawn < WALKS_DRAWN => {
                // What is lost is lost in the walk that shows it too.
                let lost = state.given(&failure.lost.condition(state));
                if let Some(walk) = &failure.walk {
                    part.walk = told(&lost, walk, &failure.lost.words(fabric));
                    let drawing = crate::walk(&lost, walk).ok();
                    part.svg = drawing.map(|one| one.svg(Theme::Light)).unwrap_or_default();
                    drawn += 1;
                }
            }
            None if walks < WALKS_SHOWN => {
                let ends = expectation.from.first().zip(expectation.to.first());
                let walk = ends.and_then(|(from, to)| {
                    walker.walk(from.value, to.value, Options::BY_HASH).ok()
                });
                part.walk = walk.map(|walk| told(state, &walk, "")).unwrap_or_default();
                walks += 1;
            }
            _ => {}
        }
        parts.push(part);
    }
    // What fails comes first.
    parts.sort_by_key(|part| part.holds);
    (parts, left)
}

/// Whether an end of what is expected is in a part of the fabric.
fn has_end(state: &State, only: &Selection, end: Terminal) -> bool {
    let fabric = state.fabric();
    match end {
        Terminal::Endpoint(endpoint, _) => {
            only.has_device(state.host_of(endpoint))
                || state.segments_of(endpoint).iter().any(|&segment| only.has_segment(segment))
        }
        Terminal::Gateway(presence, _) => {
            let at = fabric.presence(presence);
            only.has_device(at.switch) || only.has_segment(at.segment)
        }
        Terminal::Outside(outside, _) => only.has_vrf(fabric.outside(outside).vrf.value),
        _ => false,
    }
}

fn told(state: &State, walk: &Walk, lost: &str) -> String {
    let condition: Vec<String> =
        (!lost.is_empty()).then(|| format!("{lost} cut")).into_iter().collect();
    let walked =
        Walked { state, walk, finding: None, other_ways_fail: false, condition: &condition };
    felting_view::walk(&walked, Style::PLAIN)
}

// ---- sheets

fn sheets(state: &State, only: Option<&Selection>, progress: &Progress) -> Vec<SheetPart> {
    let fabric = state.fabric();
    let mut parts = Vec::new();
    for &(topic, id, about) in Topic::ALL {
        progress.advance(1);
        if topic.is_of_switches() {
            parts.extend(of_each(state, only, topic, id, about));
            continue;
        }
        if topic == Topic::FloodLists
            && only.is_none()
            && fabric.presences().len() > PRESENCES_FLOODED
        {
            let note = format!(
                "{about}: with {} segments on VTEPs not here; `felting sheet {id}` prints them",
                fabric.presences().len()
            );
            parts.push(SheetPart {
                id,
                title: titled(id),
                note,
                columns: Vec::new(),
                groups: Vec::new(),
            });
            continue;
        }
        let sheet = Sheet::of(topic, state, only, &Progress::default());
        if sheet.rows.is_empty() {
            continue;
        }
        let part = match topic {
            Topic::Matrix if sheet.columns.len() > MATRIX_COLUMNS => sparse(id, &sheet),
            _ => folded(fabric, id, &sheet),
        };
        parts.push(part);
    }
    parts
}

fn row(row: &Row) -> RowPart {
    let text = |cell: &Cell| match cell {
        Cell::Empty => String::new(),
        Cell::Text(text) => text.clone(),
        Cell::Number(number) => number.to_string(),
        Cell::List(texts) => texts.join(", "),
    };
    let tone = match row.tone {
        Tone::Plain => "",
        Tone::Impaired => "impaired",
        Tone::Down => "down",
    };
    RowPart { tone, cells: row.cells.iter().map(text).collect() }
}

fn titles(sheet: &Sheet) -> Vec<String> {
    sheet.columns.iter().map(|column| column.title.to_string()).collect()
}

/// A topic's word as a title.
fn titled(id: &str) -> String {
    let words = id.replace('-', " ");
    let (first, rest) = words.split_at(1.min(words.len()));
    first.to_uppercase() + rest
}

/// A sheet of one switch for each that has one, in fabrics that are not large.
fn of_each(
    state: &State,
    only: Option<&Selection>,
    topic: Topic,
    id: &'static str,
    about: &str,
) -> Option<SheetPart> {
    let fabric = state.fabric();
    let routers: Vec<_> = fabric
        .routers()
        .filter(|(_, router)| {
            topic == Topic::UnderlayRoutes || fabric.overlay_of(router.device).is_some()
        })
        .map(|(_, router)| router.device)
        .filter(|&device| only.is_none_or(|only| only.has_device(device)))
        .collect();
    if routers.is_empty() {
        return None;
    }
    if routers.len() > SWITCHES_WITH_ROUTES {
        let note = format!(
            "{about}: with {} switches not here; `felting sheet {id} --of SWITCH` prints those of one",
            routers.len()
        );
        let title = titled(id);
        return Some(SheetPart { id, title, note, columns: Vec::new(), groups: Vec::new() });
    }
    let mut columns = Vec::new();
    let groups = routers.into_iter().filter_map(|switch| {
        let sheet = Sheet::of(topic, state, Some(&Selection::device(switch)), &Progress::default());
        columns = titles(&sheet);
        let rows: Vec<RowPart> = sheet.rows.iter().map(row).collect();
        (!rows.is_empty()).then(|| GroupPart { name: fabric.device_name(switch).to_owned(), rows })
    });
    let groups: Vec<GroupPart> = groups.collect();
    let title = format!("{} of each switch", titled(id));
    Some(SheetPart { id, title, note: String::new(), columns, groups })
}

/// A sheet as it is, or folded by pair or rack where it is large; of a very large one only what is not as it
/// should be.
fn folded(fabric: &Fabric, id: &'static str, sheet: &Sheet) -> SheetPart {
    let columns = titles(sheet);
    let title = sheet.title.clone();
    if sheet.rows.len() <= ROWS_WHOLE {
        let rows = sheet.rows.iter().map(row).collect();
        let groups = vec![GroupPart { name: String::new(), rows }];
        return SheetPart { id, title, note: String::new(), columns, groups };
    }
    let brief = sheet.rows.len() > ROWS_WRITTEN;
    let mut of_group: BTreeMap<String, (usize, Vec<RowPart>)> = BTreeMap::new();
    for one in &sheet.rows {
        let group = of_group.entry(group(fabric, one)).or_default();
        group.0 += 1;
        if !brief || one.tone != Tone::Plain {
            group.1.push(row(one));
        }
    }
    let groups = of_group.into_iter().map(|(name, (count, rows))| {
        let says = match (brief, rows.len()) {
            (false, _) => format!("{name}: {count}"),
            (true, 0) => format!("{name}: {count}, all as they should be"),
            (true, odd) => format!("{name}: {count}, of which {odd} are not as they should be"),
        };
        GroupPart { name: says, rows }
    });
    let note = match brief {
        true => format!(
            "{} rows: here how many, and those that are not as they should be; `felting sheet {id}` prints all",
            sheet.rows.len()
        ),
        false => String::new(),
    };
    SheetPart { id, title, note, columns, groups: groups.collect() }
}

/// The pair, else the rack, else the switch or host that a row is about.
fn group(fabric: &Fabric, row: &Row) -> String {
    let Some(Cell::Text(name)) = row.cells.first() else { return "others".to_owned() };
    let Some(id) = fabric.find_device(name) else { return name.clone() };
    let device = fabric.device(id);
    let pair = device.pair.map(|(pair, _)| fabric.pair(pair).name.value.to_string());
    pair.or_else(|| device.rack.as_ref().map(|rack| format!("rack {}", rack.value))).unwrap_or_else(
        || match device.kind {
            // Hosts without a rack would be a group each.
            felting::fabric::DeviceKind::Host => "hosts".to_owned(),
            felting::fabric::DeviceKind::Switch => name.clone(),
        },
    )
}

/// A matrix as lists: for each row only the columns that it has something in, those that are alike together.
fn sparse(id: &'static str, sheet: &Sheet) -> SheetPart {
    let keys = sheet.keys.max(1);
    let mut columns: Vec<String> =
        sheet.columns[..keys].iter().map(|column| column.title.to_string()).collect();
    columns.push("where".to_owned());
    let rows = sheet.rows.iter().map(|one| {
        let RowPart { tone, cells } = row(one);
        let mut held: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
        for (cell, column) in cells.iter().zip(&sheet.columns).skip(keys) {
            if !cell.is_empty() {
                held.entry(cell).or_default().push(&column.title);
            }
        }
        let held = held.into_iter().map(|(value, names)| match names.len() {
            0..=8 => format!("{value} on {}", names.join(", ")),
            count => format!("{value} on {count} from {} to {}", names[0], names[count - 1]),
        });
        let held: Vec<String> = held.collect();
        let cells = cells[..keys].iter().cloned().chain([held.join("; ")]).collect();
        RowPart { tone, cells }
    });
    let groups = vec![GroupPart { name: String::new(), rows: rows.collect() }];
    SheetPart { id, title: sheet.title.clone(), note: String::new(), columns, groups }
}
