//! Findings for people, with excerpts of the fabric file.

use std::borrow::Cow;
use std::fmt::Write as _;
use std::ops::Range;

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Element, Group, Level, Origin, Renderer, Snippet};
use felting::Fabric;
use felting::diagnostic::{Beyond, FileId, Finding, Label, Report, Severity, Span, is_hostile};
use felting::progress::{Progress, Stage};
use felting::source::Fault;
use rayon::prelude::*;

use crate::Since;
use crate::sheet::count;

/// How a text is drawn.
#[derive(Clone, Copy, Debug)]
pub struct Style {
    /// Whether with colours.
    pub colour: bool,
    /// How many columns a line has.
    pub width: usize,
}

impl Style {
    /// Without colours, for files and tests.
    pub const PLAIN: Self = Self { colour: false, width: 100 };
}

/// A fabric, and what was found in it.
#[derive(Clone, Copy, Debug)]
pub struct Checked<'a> {
    /// The fabric.
    pub fabric: &'a Fabric,
    /// What was found.
    pub report: &'a Report,
    /// What is down, as `--cut` and `--move` say it.
    pub down: &'a [String],
    /// How many findings nobody asked for.
    pub left_out: usize,
    /// What has changed since an earlier run, if that is asked.
    pub since: Option<&'a Since>,
    /// Whether a page for people lists what is accepted, which is else counted alone.
    pub lists_accepted: bool,
}

impl<'a> Checked<'a> {
    /// All that was found, with nothing down.
    pub fn new(fabric: &'a Fabric, report: &'a Report) -> Self {
        Self { fabric, report, down: &[], left_out: 0, since: None, lists_accepted: false }
    }

    /// The root file, as it was named.
    pub(crate) fn file(&self) -> &'a str {
        self.fabric.sources().iter().next().map_or("", |(_, source)| source.name.as_str())
    }

    /// The findings that are told: the new ones where it is asked what has changed.
    pub(crate) fn told(&self) -> impl Iterator<Item = &'a Finding> + use<'a> {
        let since = self.since;
        self.report
            .findings
            .iter()
            .filter(move |finding| since.is_none_or(|since| since.is_new(finding)))
    }
}

/// An excerpt of more bytes is not drawn: only its place is told.
pub(crate) const MOST_SHOWN: usize = 64 << 10;

/// Excerpts farther apart than this are drawn apart.
const NEAR: usize = 12;

/// All that was found, the worst first: a line that sums it up, input faults, findings with their
/// excerpts, what is accepted, and the sum again where the eye ends.
pub fn findings(checked: &Checked<'_>, style: Style, progress: &Progress) -> String {
    let Checked { fabric, report, since, .. } = *checked;
    progress.begin(Stage::Writing, fabric.faults().len() + report.findings.len());
    let drawer = Drawer::new(fabric, style);
    let sum = sum(checked);
    let mut page = String::new();
    // Writing to a String cannot fail, here and below.
    let _ = writeln!(page, "{sum}");
    let drawn = |text: String| {
        progress.advance(1);
        format!("\n{text}\n")
    };
    page.extend(fabric.faults().iter().map(|fault| drawn(drawer.fault(fault))));
    let mut worst_first: Vec<&Finding> = checked.told().collect();
    worst_first.sort_by_key(|finding| finding.rank());
    page.par_extend(worst_first.par_iter().map(|finding| drawn(drawer.finding(finding))));
    if !report.beyond.is_empty() {
        page.push('\n');
    }
    for beyond in report.beyond.iter().map(beyond) {
        let _ = writeln!(page, "{beyond}");
    }
    if let Some(since) = since.filter(|since| !since.gone.is_empty()) {
        page.push('\n');
        for gone in &since.gone {
            let _ = writeln!(page, "gone {}[{}]: {}", gone.severity, gone.rule, gone.message);
        }
    }
    let accepted = if checked.lists_accepted { &report.accepted[..] } else { &[][..] };
    if !accepted.is_empty() {
        page.push('\n');
    }
    for accepted in accepted {
        let finding = &accepted.finding;
        let until = accepted.until.map(|until| format!(" (until {until})")).unwrap_or_default();
        let reason = if accepted.reason.is_empty() { "no reason given" } else { &accepted.reason };
        let _ = writeln!(
            page,
            "accepted {}[{}]: {}: {reason}{until}",
            finding.severity, finding.rule.id, finding.what.message
        );
    }
    if !fabric.is_complete() {
        page.push_str(
            "\nThe findings are incomplete: mend the input faults first, then check again.\n",
        );
        let _ = match report.held_back {
            0 => Ok(()),
            1 => writeln!(page, "1 more is held back, as it may follow from them."),
            many => writeln!(page, "{many} more are held back, as they may follow from them."),
        };
    }
    // The eye ends at the last line, which on a long page is far from the first.
    if fabric.faults().len() + worst_first.len() > 3 {
        let _ = writeln!(page, "\n{sum}");
    } else if !worst_first.is_empty() {
        page.push('\n');
    }
    if let Some(worst) = worst_first.first() {
        let _ = writeln!(page, "`felting explain {}` says more about a rule.", worst.rule.id);
    }
    page
}

/// What is counted alone, in a sentence.
pub(crate) fn beyond(beyond: &Beyond) -> String {
    let Beyond { rule, severity, accepted, count, .. } = *beyond;
    let accepted = if accepted { ", accepted" } else { "" };
    let (most, s) = (Report::MOST_OF_RULE, if count == 1 { "" } else { "s" });
    format!(
        "{count} more {severity}{s} of {rule}{accepted}: of one rule the first {most} are told; mend these and check again"
    )
}

/// A line for each input fault and finding, the worst first: place, severity, message and rule, as editors and
/// `grep` take them.
pub fn findings_lines(checked: &Checked<'_>) -> String {
    let sources = checked.fabric.sources();
    let mut page = String::new();
    for fault in checked.fabric.faults() {
        let (at, id) = (sources.location(fault.at()), fault.kind.id());
        // Writing to a String cannot fail, here and below.
        let _ = writeln!(page, "{at}: error: {} [{id}]", fault.what.message);
    }
    let mut worst_first: Vec<&Finding> = checked.told().collect();
    worst_first.sort_by_key(|finding| finding.rank());
    for finding in worst_first {
        let at = sources.location(finding.what.primary.span);
        let (message, id) = (&finding.what.message, finding.rule.id);
        let _ = writeln!(page, "{at}: {}: {message} [{id}]", finding.severity);
    }
    for one in &checked.report.beyond {
        let _ = writeln!(page, "{}: {}: {}", checked.file(), one.severity, beyond(one));
    }
    page
}

/// One line: the fabric's name and how much was found.
pub fn sum(checked: &Checked<'_>) -> String {
    let Checked { fabric, report, down, left_out, since, .. } = *checked;
    // What is counted alone can't be told from what was there before.
    let told = |severity| match since {
        None => report.count(severity),
        Some(_) => checked.told().filter(|finding| finding.severity == severity).count(),
    };
    let new = if since.is_some() { "new " } else { "" };
    let count = |count: usize, what: &str| match count {
        0 => None,
        1 => Some(format!("1 {what}")),
        count => Some(format!("{count} {what}s")),
    };
    let mut parts: Vec<String> = [
        count(fabric.faults().len(), "input fault"),
        count(told(Severity::Error), &format!("{new}error")),
        count(told(Severity::Warning), &format!("{new}warning")),
        count(told(Severity::Hint), &format!("{new}hint")),
    ]
    .into_iter()
    .flatten()
    .collect();
    if parts.is_empty() {
        parts.push(if since.is_some() { "nothing new" } else { "nothing found" }.to_owned());
    }
    if let Some(since) = since {
        parts.push(format!("{} gone", since.gone.len()));
        parts.push(format!("{} as before", since.as_before(report)));
        let beyond = report.beyond.iter().filter(|beyond| !beyond.accepted);
        match beyond.map(|beyond| beyond.count).sum() {
            0_usize => {}
            more => parts.push(format!("{more} not compared")),
        }
    }
    if left_out > 0 {
        parts.push(format!("{left_out} not asked for"));
    }
    // What the files hide is seen by whoever runs it.
    let accepted = report.total_accepted();
    if accepted > 0 {
        let errors = match report.count_accepted(Severity::Error) {
            0 => String::new(),
            1 => ", 1 of them an error".to_owned(),
            many => format!(", {many} of them errors"),
        };
        parts.push(format!("{accepted} accepted{errors}"));
    }
    match report.rules_off.len() {
        0 => {}
        1 => parts.push("1 rule off".to_owned()),
        many => parts.push(format!("{many} rules off")),
    }
    let name = if fabric.name().is_empty() { "the fabric" } else { fabric.name() };
    let switches =
        fabric.devices().filter(|(_, device)| device.kind == felting::fabric::DeviceKind::Switch);
    let of = [
        count(switches.count(), "switch"),
        count(fabric.cables().len(), "cable"),
        count(fabric.lags().len(), "LAG end"),
        count(fabric.segments().len(), "segment"),
    ];
    let of: Vec<_> =
        of.into_iter().flatten().map(|part| part.replace("switchs", "switches")).collect();
    let of = if of.is_empty() { String::new() } else { format!(" ({})", of.join(", ")) };
    let without = match down {
        [] => String::new(),
        down => format!(" with {}", down.join(" and ")),
    };
    format!("{name}{without}: {}{of}", parts.join(", "))
}

/// Draws single findings and faults with excerpts of their files.
pub struct Drawer<'a> {
    fabric: &'a Fabric,
    renderer: Renderer,
    width: usize,
}

impl std::fmt::Debug for Drawer<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Drawer of {:?}, {} columns", self.fabric, self.width)
    }
}

impl<'a> Drawer<'a> {
    /// For one fabric.
    pub fn new(fabric: &'a Fabric, style: Style) -> Self {
        let renderer = if style.colour { Renderer::styled() } else { Renderer::plain() };
        Self {
            fabric,
            width: style.width,
            renderer: renderer.term_width(style.width).decor_style(DecorStyle::Ascii),
        }
    }

    /// One finding.
    pub fn finding(&self, finding: &Finding) -> String {
        let level = match finding.severity {
            Severity::Error => Level::ERROR,
            Severity::Warning => Level::WARNING,
            Severity::Hint => Level::HELP.with_name("hint"),
        };
        let mut group = level
            .primary_title(finding.what.message.as_str())
            .id(finding.rule.id)
            .elements(self.excerpts(&finding.what.primary, &finding.what.related));
        group = self.note(group, "on the wire", &finding.wire);
        let (hits, risk) = (finding.hits.to_string(), risk(finding));
        group = self.note(group, "hits", &hits);
        group = self.note(group, "at risk", &risk);
        group = self.note(group, "remedy", &finding.what.remedy);
        self.renderer.render(&[group])
    }

    /// One input fault.
    pub fn fault(&self, fault: &Fault) -> String {
        let title = Level::ERROR.primary_title(fault.what.message.as_str()).id(fault.kind.id());
        let whole = fault.at().end == 0;
        let mut group = if whole {
            let path = self.fabric.sources().file(fault.at().file).name.clone();
            let group = title.element(Origin::path(path));
            self.note(
                group,
                "expected",
                fault.what.primary.text.strip_prefix("expected ").unwrap_or_default(),
            )
        } else {
            title.elements(self.excerpts(&fault.what.primary, &fault.what.related))
        };
        group = self.note(group, "remedy", &fault.what.remedy);
        self.renderer.render(&[group])
    }

    fn note<'g>(&self, group: Group<'g>, name: &'static str, text: &'g str) -> Group<'g> {
        if text.is_empty() {
            return group;
        }
        // The renderer aligns the lines of a note, but leaves breaking them to its caller.
        let width = self.width.saturating_sub(name.len() + 10).max(30);
        group.element(Level::NOTE.with_name(name).message(crate::explain::wrap(text, width)))
    }

    /// The lines around the labels, those of the primary one first; lines far apart stand apart.
    fn excerpts<'g>(&self, primary: &'g Label, related: &'g [Label]) -> Vec<Element<'g>>
    where
        'a: 'g,
    {
        let mut labels: Vec<_> = std::iter::once((primary, AnnotationKind::Primary))
            .chain(related.iter().map(|label| (label, AnnotationKind::Context)))
            .map(|(label, kind)| (label.span.file, self.line_of(label.span), label, kind))
            .collect();
        labels.sort_by_key(|&(file, line, label, _)| (file, line, label.span));
        let mut runs: Vec<Vec<_>> = Vec::new();
        for label in labels {
            match runs.last_mut() {
                Some(run)
                    if run.last().is_some_and(|last: &(FileId, usize, _, _)| {
                        last.0 == label.0 && label.1 - last.1 <= NEAR
                    }) =>
                {
                    run.push(label);
                }
                _ => runs.push(vec![label]),
            }
        }
        // The place at fault is read first, wherever the files lie.
        runs.sort_by_key(|run| !run.iter().any(|label| std::ptr::eq(label.2, primary)));
        runs.into_iter().map(|run| self.excerpt(&run)).collect()
    }

    fn excerpt<'g>(&self, run: &[(FileId, usize, &'g Label, AnnotationKind)]) -> Element<'g>
    where
        'a: 'g,
    {
        let (file, first) = (run[0].0, run[0].1);
        let source = self.fabric.sources().file(file);
        let last = run.iter().map(|(_, _, label, _)| source.line_of(label.span.end));
        let last = last.max().unwrap_or(first);
        let start = source.lines()[first] as usize;
        let text = source.text();
        let end = source.lines().get(last + 1).map_or(text.len(), |&end| end as usize);
        // A file that has changed since has nothing to show, and lines of a machine's making nobody reads.
        let Some(lines) = text.get(start..end).filter(|lines| lines.len() <= MOST_SHOWN) else {
            let label = run.iter().find(|label| label.3 == AnnotationKind::Primary);
            let at = self.fabric.sources().location(label.unwrap_or(&run[0]).2.span);
            return Origin::path(at.file).line(at.line).char_column(at.column).into();
        };
        let annotations = run.iter().map(|(_, _, label, kind)| {
            let span: Range<usize> =
                label.span.start as usize - start..label.span.end as usize - start;
            kind.span(span).label(label.text.as_str())
        });
        Snippet::source(harmless(lines))
            .line_start(first + 1)
            .path(source.name.as_str())
            .annotations(annotations)
            .into()
    }

    /// The line that a place begins in, counted from 0.
    fn line_of(&self, span: Span) -> usize {
        self.fabric.sources().file(span.file).line_of(span.start)
    }
}

/// Whom one loss more would hit because of a finding; empty if nobody who is modelled.
fn risk(finding: &Finding) -> String {
    let Some(risk) = &finding.risk else { return String::new() };
    let (endpoints, hosts) = (count(risk.endpoints, "endpoint"), count(risk.hosts, "host"));
    format!("{endpoints} on {hosts}, cut off without {}", risk.lost)
}

/// Lines of a file as they may be shown: in the place of a hostile character stand as many question marks as it has
/// bytes, so that places in them stay what they are.
fn harmless(lines: &str) -> Cow<'_, str> {
    let hostile =
        |character: char| is_hostile(character) && !matches!(character, '\n' | '\t' | '\r');
    if !lines.chars().any(hostile) {
        return Cow::Borrowed(lines);
    }
    let mut page = String::with_capacity(lines.len());
    for character in lines.chars() {
        match hostile(character) {
            true => page.extend(std::iter::repeat_n('?', character.len_utf8())),
            false => page.push(character),
        }
    }
    Cow::Owned(page)
}
