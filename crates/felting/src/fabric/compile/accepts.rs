//! Acceptances, and the names of rules.

use smol_str::SmolStr;

use crate::diagnostic::At;
use crate::fabric::layout::report_range;
use crate::fabric::{Accept, Arenas};
use crate::source::{Document, FaultKind, Faults, Pattern};

pub(super) fn accepts(
    document: &Document,
    fabric: &mut Arenas,
    rules: &[&str],
    faults: &mut Faults,
) {
    for statement in &document.accepts {
        let keys = &statement.keys;
        let Some(rule) = &keys.rule else { continue };
        if !is_rule(rule, rules, faults) {
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
