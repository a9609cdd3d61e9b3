//! What a rule or a kind of input fault is about.

use std::fmt::Write as _;

use felting::diagnostic::{Rule, Severity};
use felting::rules;
use felting::source::FaultKind;
use serde::Serialize;
use unicode_width::UnicodeWidthStr as _;

use crate::json_text;

/// What a word of somebody who wants to know about rules means.
enum Asked {
    Rule(&'static Rule),
    Fault(FaultKind),
    /// Rules and kinds of input faults: of a family, or with the word in their id.
    Several(Vec<&'static Rule>, Vec<FaultKind>),
}

fn asked(word: &str) -> Result<Asked, String> {
    if let Some(rule) = rules::find(word) {
        return Ok(Asked::Rule(rule));
    }
    if let Some(&kind) = FaultKind::ALL.iter().find(|kind| kind.id() == word) {
        return Ok(Asked::Fault(kind));
    }
    let of = |fits: &dyn Fn(&str) -> bool| {
        let rules: Vec<_> = rules::all().filter(|rule| fits(rule.id)).collect();
        let kinds: Vec<_> = FaultKind::ALL.iter().copied().filter(|kind| fits(kind.id())).collect();
        (!rules.is_empty() || !kinds.is_empty()).then_some(Asked::Several(rules, kinds))
    };
    let family = of(&|id| id.split('-').next() == Some(word));
    let part = || of(&|id| !word.is_empty() && id.contains(word));
    family.or_else(part).ok_or_else(|| {
        let ids =
            rules::all().map(|rule| rule.id).chain(FaultKind::ALL.iter().map(|kind| kind.id()));
        let words = ids.flat_map(|id| std::iter::once(id).chain(id.split('-')));
        match felting::diagnostic::nearest(word, words) {
            Some(nearest) => format!("no rule has {word:?} in its id; did you mean {nearest}?"),
            None => format!("no rule has {word:?} in its id; `felting explain` lists them all"),
        }
    })
}

/// The explanation of a rule or of a kind of input fault; of a family or a part of ids the list of those.
///
/// # Errors
///
/// If no id has the word: a message that names the nearest one.
pub fn explain(word: &str) -> Result<String, String> {
    Ok(match asked(word)? {
        Asked::Rule(rule) => rule_page(rule),
        Asked::Fault(kind) => {
            format!("{} (input fault)\n\n{}\n", kind.id(), wrap(kind.explain(), 88))
        }
        Asked::Several(rules, kinds) => list(&rules, &kinds),
    })
}

/// The same for programs: an object of a rule, a list of several; of all without a word.
///
/// # Errors
///
/// If no id has the word: a message that names the nearest one.
pub fn explain_json(word: Option<&str>) -> Result<String, String> {
    let asked = match word {
        Some(word) => asked(word)?,
        None => Asked::Several(rules::all().collect(), FaultKind::ALL.to_vec()),
    };
    let rule = |rule: &Rule| RuleRow {
        id: rule.id,
        family: rule.family(),
        severity: Some(rule.severity.word()),
        summary: Some(rule.summary),
        explain: rule.explain,
        sources: rule.sources,
        example: Some(rule.broken.trim_start()),
        mended: Some(rule.mended().trim_start().to_owned()),
    };
    let fault = |kind: FaultKind| RuleRow {
        id: kind.id(),
        family: "input",
        severity: None,
        summary: None,
        explain: kind.explain(),
        sources: &[],
        example: None,
        mended: None,
    };
    let text = match asked {
        Asked::Rule(one) => json_text::pretty(&rule(one)),
        Asked::Fault(kind) => json_text::pretty(&fault(kind)),
        Asked::Several(rules, kinds) => {
            let rows: Vec<RuleRow> =
                rules.into_iter().map(rule).chain(kinds.into_iter().map(fault)).collect();
            json_text::pretty(&rows)
        }
    };
    Ok(text + "\n")
}

#[derive(Serialize)]
struct RuleRow {
    id: &'static str,
    family: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    severity: Option<&'static str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    summary: Option<&'static str>,
    explain: &'static str,
    sources: &'static [&'static str],
    #[serde(skip_serializing_if = "Option::is_none")]
    example: Option<&'static str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    mended: Option<String>,
}

fn rule_page(rule: &Rule) -> String {
    let mut page = format!("{} ({})\n{}\n\n", rule.id, rule.severity, rule.summary);
    let _ = writeln!(page, "{}\n", wrap(rule.explain, 88));
    if let Some((severity, when)) = rules::other_severity(rule.id) {
        let _ = writeln!(
            page,
            "{}\n",
            wrap(&format!("It is {} {severity} if {when}.", article(severity)), 88)
        );
    }
    let _ = writeln!(page, "Sources: {}.\n", rule.sources.join("; "));
    let _ =
        writeln!(page, "The smallest fabric with the fault, and what mends it (- out, + in):\n");
    for line in change(rule.broken.trim_start(), rule.mended().trim_start()) {
        let _ = writeln!(page, "{}", line.trim_end());
    }
    let _ = writeln!(page, "\nWhere it is meant to be so, say it in the fabric file:\n");
    let _ = writeln!(
        page,
        "    [[accept]]\n    rule = \"{}\"\n    on = \"...\"\n    reason = \"...\"",
        rule.id
    );
    page
}

fn article(severity: Severity) -> &'static str {
    if severity == Severity::Error { "an" } else { "a" }
}

/// The lines of a text, with those that go and those that come marked.
fn change(before: &str, after: &str) -> Vec<String> {
    let (old, new): (Vec<_>, Vec<_>) = (before.lines().collect(), after.lines().collect());
    let mut lines = Vec::new();
    let (mut i, mut j) = (0, 0);
    while i < old.len() || j < new.len() {
        if i < old.len() && j < new.len() && old[i] == new[j] {
            lines.push(format!("      {}", old[i]));
            i += 1;
            j += 1;
            continue;
        }
        // The nearest pair of places where the texts meet again.
        let meet = (0..old.len() + new.len() + 1 - i - j).find_map(|distance| {
            (0..=distance).find_map(|skip| {
                let (a, b) = (i + distance - skip, j + skip);
                let ends = a >= old.len() && b >= new.len();
                let same = a < old.len() && b < new.len() && old[a] == new[b];
                (ends || same).then_some((a.min(old.len()), b.min(new.len())))
            })
        });
        let (a, b) = meet.unwrap_or((old.len(), new.len()));
        lines.extend(old[i..a].iter().map(|line| format!("    - {line}")));
        lines.extend(new[j..b].iter().map(|line| format!("    + {line}")));
        (i, j) = (a, b);
    }
    lines
}

/// The text in lines of at most so many columns.
pub(crate) fn wrap(text: &str, width: usize) -> String {
    let mut wrapped = String::new();
    let mut column = 0;
    for word in text.split_whitespace() {
        if column > 0 && column + 1 + word.width() > width {
            wrapped.push('\n');
            column = 0;
        } else if column > 0 {
            wrapped.push(' ');
            column += 1;
        }
        wrapped.push_str(word);
        column += word.width();
    }
    wrapped
}

/// The list of all rules, for a terminal.
pub fn catalogue() -> String {
    list(&rules::all().collect::<Vec<_>>(), FaultKind::ALL)
}

/// A list of rules and of kinds of input faults, for a terminal.
fn list(rules: &[&'static Rule], kinds: &[FaultKind]) -> String {
    let mut page = String::new();
    let ids = rules.iter().map(|rule| rule.id).chain(kinds.iter().map(|kind| kind.id()));
    let width = ids.map(str::len).max().unwrap_or(0);
    let mut family = "";
    for rule in rules {
        if rule.family() != family {
            family = rule.family();
            let _ = writeln!(page, "{}{family}", if page.is_empty() { "" } else { "\n" });
        }
        let _ =
            writeln!(page, "  {:width$}  {:7}  {}", rule.id, rule.severity.word(), rule.summary);
    }
    if !kinds.is_empty() {
        let gap = if page.is_empty() { "" } else { "\n" };
        let _ = writeln!(page, "{gap}input faults (always exit code 2)");
    }
    for kind in kinds {
        let first = kind.explain().split_inclusive(". ").next().unwrap_or_default().trim_end();
        let _ = writeln!(page, "  {:width$}  {first}", kind.id());
    }
    page.push_str("\n`felting explain RULE` tells the mechanism, an example and how to mend it.\n");
    page
}

/// The list of all rules as Markdown: the generated part of `docs/rules.md`.
pub fn catalogue_page() -> String {
    let mut page = String::from("| rule | severity | fault |\n|---|---|---|\n");
    for rule in rules::all() {
        let other = rules::other_severity(rule.id);
        let other = other.map_or_else(String::new, |(severity, when)| {
            format!("; {} {severity} if {when}", article(severity))
        });
        let _ = writeln!(page, "| `{}` | {}{other} | {} |", rule.id, rule.severity, rule.summary);
    }
    let last = rules::find("trouble-unexplained").map_or("", |rule| rule.explain);
    let _ =
        writeln!(page, "\nWhat no rule explains is told as `trouble-unexplained` (error). {last}");
    page.push_str("\n## Input faults\n\n| id | meaning |\n|---|---|\n");
    for kind in FaultKind::ALL {
        let _ = writeln!(page, "| `{}` | {} |", kind.id(), kind.explain());
    }
    page
}
