//! Acceptances, severities, and the names of rules.

use std::cmp::Ordering;

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use crate::diagnostic::{At, Severity};
use crate::fabric::layout::report_range;
use crate::fabric::{Accept, Arenas};
use crate::source::{Document, FaultKind, Faults, Level, Pattern};

pub(super) fn accepts(
    document: &Document,
    fabric: &mut Arenas,
    rules: &[&str],
    faults: &mut Faults,
) {
    for statement in &document.accepts {
        let keys = &statement.keys;
        let Some(rule) = &keys.rule else { continue };
        if !is_rule(rule, rules, faults) || is_always_told(rule, "accepted", faults) {
            continue;
        }
        let on = keys.on.as_ref().map(|on| on.value.0.clone()).unwrap_or_default();
        for pattern in &on {
            if let Err(fault) = Pattern::parse(&pattern.value) {
                report_range(faults, pattern, 0, &pattern.value, &fault);
            }
        }
        fabric.accepts.push(Accept {
            rule: rule.clone(),
            on,
            reason: keys.reason.clone(),
            until: keys.until,
            span: statement.span,
        });
    }
}

/// The rules about what hides too much: a file that could hide these too would hide anything.
const ALWAYS_TOLD: &[&str] = &["accept-unbounded", "accept-family-off"];

/// What the files say of rules' severities. The root file says it before any that it includes, a variant before what it
/// is laid over; two others must agree.
pub(super) fn severities(
    document: &Document,
    rules: &[&str],
    faults: &mut Faults,
) -> FxHashMap<SmolStr, At<Option<Severity>>> {
    let mut said: FxHashMap<&str, &Level> = FxHashMap::default();
    for level in &document.severities {
        if !is_rule(&level.rule, rules, faults) {
            continue;
        }
        if level.severity.is_none() && is_always_told(&level.rule, "switched off", faults) {
            continue;
        }
        let rank = |level: &Level| (level.layer, level.is_of_root);
        let known = said.entry(level.rule.value.as_str()).or_insert(level);
        match rank(level).cmp(&rank(known)) {
            Ordering::Greater => *known = level,
            Ordering::Equal if level.severity != known.severity => {
                let word = |level: &Level| level.severity.map_or("off", Severity::word);
                faults
                    .add(
                        FaultKind::NameTwice,
                        level.rule.span,
                        format!(
                            "{} is {} here and {} elsewhere",
                            level.rule.value,
                            word(level),
                            word(known)
                        ),
                        "said again",
                        "say it once, or in the root file, which decides",
                    )
                    .related(known.rule.span, "said first");
            }
            Ordering::Equal | Ordering::Less => {}
        }
    }
    said.into_values()
        .map(|level| (level.rule.value.clone(), At::new(level.severity, level.rule.span)))
        .collect()
}

/// Whether a rule can be neither accepted nor switched off; then it is a fault to do so.
fn is_always_told(rule: &At<SmolStr>, done: &str, faults: &mut Faults) -> bool {
    if !ALWAYS_TOLD.contains(&rule.value.as_str()) {
        return false;
    }
    faults.add(
        FaultKind::BadValue,
        rule.span,
        format!("{} cannot be {done}: it tells what the files hide", rule.value),
        "expected another rule",
        "take it out, and say less sweepingly what is accepted or off",
    );
    true
}

/// Whether a name is that of a rule; a fault if not.
pub(super) fn is_rule(name: &At<SmolStr>, rules: &[&str], faults: &mut Faults) -> bool {
    if rules.contains(&name.as_str()) {
        return true;
    }
    let remedy = match faults.nearest(&name.value, rules.iter().copied()) {
        Some(nearest) => format!("did you mean {nearest}?"),
        None => "`felting explain` lists the rules".to_owned(),
    };
    let message = format!("there is no rule {}", name.value);
    faults.add(FaultKind::UnknownName, name.span, message, "expected a rule's id", remedy);
    false
}
