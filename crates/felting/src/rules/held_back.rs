//! Findings that may follow from what an input fault left out.

use std::collections::BTreeSet;

use rustc_hash::FxHashSet;

use crate::diagnostic::{Report, Span};
use crate::fabric::{Fabric, Selection};
use crate::source::FaultKind;

/// Of more faults, or of names in them, nobody tells what follows from which.
const MOST: usize = 256;

/// Faults for which all that a file says is left out.
const OF_FILES: &[FaultKind] = &[
    FaultKind::Unreadable,
    FaultKind::Folder,
    FaultKind::TooLarge,
    FaultKind::NotUtf8,
    FaultKind::Empty,
    FaultKind::Syntax,
    FaultKind::IncludeCycle,
    FaultKind::IncludeOutside,
    FaultKind::MissingColumn,
    FaultKind::TooMany,
];

/// Rules that judge what is there, or was found, by all of it: with a part left out they prove nothing.
const OF_THE_WHOLE: &[&str] = &["expect-failed", "accept-unmatched"];

/// Takes out the findings that have to do with what some statement is about in which there is an input fault, and
/// counts them: the reader has left a part of it out, and what is missed may be just that. So it may be with
/// what is counted alone.
pub(super) fn hold_back(fabric: &Fabric, report: &mut Report) {
    let findings = &mut report.findings;
    if fabric.is_complete() || findings.is_empty() {
        return;
    }
    let before = findings.len();
    match touched(fabric) {
        None => findings.clear(),
        Some(selection) => findings.retain(|finding| {
            let named = finding.about.iter().any(|name| selection.has_name(fabric, name));
            !named && !OF_THE_WHOLE.contains(&finding.rule.id)
        }),
    }
    let beyond = report.beyond.iter().filter(|beyond| !beyond.accepted);
    let beyond: usize = beyond.map(|beyond| beyond.count).sum();
    report.beyond.retain(|beyond| beyond.accepted);
    report.held_back = before - report.findings.len() + beyond;
}

/// The parts of the fabric that are named where faults are; none if it may be all of them.
fn touched(fabric: &Fabric) -> Option<Selection> {
    let faults = fabric.faults();
    if faults.len() > MOST {
        return None;
    }
    let mut words: BTreeSet<&str> = BTreeSet::new();
    let mut seen: FxHashSet<Span> = FxHashSet::default();
    for fault in faults.iter().filter(|fault| seen.insert(fault.at())) {
        // A file that could not be read, or not as a whole, may say anything.
        if OF_FILES.contains(&fault.kind) || fabric.sources().text(fault.at()).is_empty() {
            return None;
        }
        words.extend(words_near(fabric, fault.at()));
        if words.len() > MOST {
            return None;
        }
    }
    let mut selection = Selection::default();
    for word in words {
        selection.extend(fabric, word);
    }
    Some(selection)
}

/// The words of the statement that a place is in; of a list of cables, of the line.
fn words_near(fabric: &Fabric, place: Span) -> Vec<&str> {
    let location = fabric.sources().location(place);
    let source = fabric.sources().iter().find(|(_, source)| source.name == location.file);
    let Some((_, source)) = source else { return Vec::new() };
    let lines: Vec<&str> = source.text().lines().collect();
    let Some(at) = location.line.checked_sub(1).filter(|&at| at < lines.len()) else {
        return Vec::new();
    };
    let is_header = |line: &&str| {
        let line = line.split_once('#').map_or(*line, |(before, _)| before);
        line.starts_with('[') && line.trim_end().ends_with(']')
    };
    let first = lines[..=at].iter().rposition(&is_header);
    let is_cabling = first.is_some_and(|first| lines[first].starts_with("[cabling]"));
    let region = match first.filter(|_| !is_cabling) {
        Some(first) => {
            let rest = &lines[first + 1..];
            let end = rest.iter().position(is_header).unwrap_or(rest.len());
            &lines[first..first + 1 + end]
        }
        None => &lines[at..=at],
    };
    let between = |one: char| one.is_whitespace() || "\"',={}".contains(one);
    region.iter().flat_map(|line| line.split(between)).filter(|word| !word.is_empty()).collect()
}
