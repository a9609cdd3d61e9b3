//! What a rule or a kind of input fault is about.

use std::fmt::Write as _;

use felting::diagnostic::Rule;
use felting::rules;
use felting::source::FaultKind;

/// The explanation of a rule or of a kind of input fault, or the ids that are most like it.
///
/// # Errors
///
/// If nothing has the id: a message that names the nearest one.
pub fn explain(id: &str) -> Result<String, String> {
    if let Some(rule) = rules::find(id) {
        return Ok(rule_page(rule));
    }
    if let Some(kind) = FaultKind::ALL.iter().find(|kind| kind.id() == id) {
        return Ok(format!("{} (input fault)\n\n{}\n", kind.id(), wrap(kind.explain(), 88)));
    }
    let ids = rules::all().map(|rule| rule.id).chain(FaultKind::ALL.iter().map(|kind| kind.id()));
    let family: Vec<_> = ids.clone().filter(|known| known.split('-').next() == Some(id)).collect();
    Err(match (family.is_empty(), felting::diagnostic::nearest(id, ids)) {
        (false, _) => format!("{id} is a family of rules: {}", family.join(", ")),
        (true, Some(nearest)) => format!("there is no rule {id}; did you mean {nearest}?"),
        (true, None) => format!("there is no rule {id}; `felting explain` lists them all"),
    })
}

fn rule_page(rule: &Rule) -> String {
    let mut page = format!("{} ({})\n{}\n\n", rule.id, rule.severity, rule.summary);
    let _ = writeln!(page, "{}\n", wrap(rule.explain, 88));
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
        if column > 0 && column + 1 + word.chars().count() > width {
            wrapped.push('\n');
            column = 0;
        } else if column > 0 {
            wrapped.push(' ');
            column += 1;
        }
        wrapped.push_str(word);
        column += word.chars().count();
    }
    wrapped
}

/// The list of all rules, for a terminal.
pub fn catalogue() -> String {
    let mut page = String::new();
    let width = rules::all().map(|rule| rule.id.len()).max().unwrap_or(0);
    let mut family = "";
    for rule in rules::all() {
        if rule.family() != family {
            family = rule.family();
            let _ = writeln!(page, "{}{family}", if page.is_empty() { "" } else { "\n" });
        }
        let _ =
            writeln!(page, "  {:width$}  {:7}  {}", rule.id, rule.severity.word(), rule.summary);
    }
    let _ = writeln!(page, "\ninput faults (always exit code 2)");
    for kind in FaultKind::ALL {
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
        let _ = writeln!(page, "| `{}` | {} | {} |", rule.id, rule.severity, rule.summary);
    }
    page.push_str("\n## Input faults\n\n| id | meaning |\n|---|---|\n");
    for kind in FaultKind::ALL {
        let _ = writeln!(page, "| `{}` | {} |", kind.id(), kind.explain());
    }
    page
}
