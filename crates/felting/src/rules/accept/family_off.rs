use std::collections::BTreeMap;

use smol_str::SmolStr;

use crate::diagnostic::Span;
use crate::rules::{Check, Context, Findings, Rule, Severity, all};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "accept-family-off",
        severity: Severity::Hint,
        summary: "all rules of a family are switched off",
        explain: "With all rules of a family off nothing is looked at of what the family is about, and \
                  \"nothing found\" says less than it seems to. This hint can be neither accepted nor \
                  switched off.",
        sources: &["Felting's own"],
        broken: r#"
[[switch]]
name = "kelp-a"

[severities]
expect-failed = "off"
"#,
        mend: &[("expect-failed = \"off\"", "expect-failed = \"warning\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let severities = &cx.fabric.severities;
    // Of each family how many rules there are, how many are off, and where the first of these is.
    let mut families: BTreeMap<&str, (usize, usize, Option<Span>)> = BTreeMap::new();
    for rule in all() {
        let family = families.entry(rule.family()).or_default();
        family.0 += 1;
        if let Some(at) = severities.get(rule.id).filter(|at| at.value.is_none()) {
            family.1 += 1;
            family.2 = Some(family.2.map_or(at.span, |first| first.min(at.span)));
        }
    }
    for (family, (rules, off, first)) in families {
        let Some(first) = first.filter(|_| rules == off) else { continue };
        let all = match rules {
            1 => format!("the only rule of the family {family} is off"),
            _ => format!("all {rules} rules of the family {family} are off"),
        };
        out.report(
            first,
            "off, as is all of its family",
            all,
        )
        .wire(format!("nothing of the family {family} is looked at, and \u{201c}nothing found\u{201d} doesn\u{2019}t mean it"))
        .remedy("switch off only those that don\u{2019}t matter here, or accept single findings with a reason")
        .about_name(&SmolStr::new(family));
    }
}
