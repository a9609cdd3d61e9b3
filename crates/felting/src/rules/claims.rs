//! Which finding explains a trouble that sheets show.

use std::collections::BTreeMap;

use rustc_hash::FxHashSet;

use super::check::{Draft, Findings};
use crate::behaviour::{Apart, State, Trouble};
use crate::diagnostic::{Report, Rule, Severity, Span};

/// The rule of what no other explains. It has no example: whatever is known to be told by it is to be told by a rule of
/// its own.
pub(super) static UNEXPLAINED: Rule = Rule {
    id: "trouble-unexplained",
    severity: Severity::Error,
    summary: "something does not work, and no rule explains it",
    explain: "What the protocols came to shows that something is down that is written to be up, and none of the other \
              findings is about it. The sheet about it shows more. Felting ought to have a rule for it.",
    sources: &["what the file says is to be there"],
    broken: "",
    mend: &[],
};

/// Reports troubles that no finding explains: one finding for all that are of one kind at one device.
pub(super) fn report_unexplained(state: &State, troubles: &[Trouble], out: &mut Findings<'_>) {
    let fabric = state.fabric();
    let mut of_place: BTreeMap<(&str, Span), Vec<Trouble>> = BTreeMap::new();
    for &trouble in troubles {
        of_place.entry((sheet(trouble), place(state, trouble))).or_default().push(trouble);
    }
    for ((_, span), all) in of_place {
        let more = match all.len() {
            1 => String::new(),
            2 => ", and one more like it".to_owned(),
            many => format!(", and {} more like it", many - 1),
        };
        let devices = state.between(all[0]);
        let mut draft = out
            .report(span, "written here", format!("{}{more}", state.trouble_words(all[0])))
            .wire("nothing that was found explains it")
            .remedy(format!("see `felting sheet {}`", sheet(all[0])));
        if let Some(&device) = devices.first() {
            let name = &fabric.device(device).name;
            draft = draft.related(name.span, format!("at {}", name.value));
        }
        devices.into_iter().fold(draft, Draft::about);
    }
}

/// The sheet that shows a trouble.
fn sheet(trouble: Trouble) -> &'static str {
    match trouble {
        Trouble::Cable(_) => "cables",
        Trouble::Member(_) => "members",
        Trouble::Lag(_) => "lags",
        Trouble::Pair(_) => "pairs",
        Trouble::Adjacency(_) => "adjacencies",
        Trouble::Session(_) => "sessions",
        Trouble::Pseudowire(_) => "tunnels",
        Trouble::WayOut { .. } => "vrfs",
        Trouble::Apart { .. } => "flood-lists",
    }
}

/// Where what does not work is written.
fn place(state: &State, trouble: Trouble) -> Span {
    let fabric = state.fabric();
    match trouble {
        Trouble::Cable(id) => fabric.cable(id).span.0,
        Trouble::Member(id) => fabric.member(id).port.span,
        Trouble::Lag(id) => fabric.lag(id).name.span,
        Trouble::Pair(id) => fabric.pair(id).name.span,
        Trouble::Adjacency(id) => fabric.interface(state.underlay().adjacency(id).near).span.0,
        Trouble::Session(id) => fabric.session(id).span.0,
        Trouble::Pseudowire(id) => fabric.pseudowire(id).name.span,
        Trouble::WayOut { outside, .. } => fabric.outside(outside).name.span,
        Trouble::Apart { here, .. } => fabric.segment(fabric.presence(here).segment).name.span,
    }
}

/// The families of rules that can be behind a trouble, where no cause is known.
fn families(trouble: Trouble) -> &'static [&'static str] {
    match trouble {
        Trouble::Cable(_) => &["cable", "port", "stack", "lag", "pair", "es", "switch"],
        Trouble::Member(_) | Trouble::Lag(_) => {
            &["lag", "cable", "port", "pair", "stack", "es", "uplink", "switch", "tree"]
        }
        Trouble::Pair(_) => &["pair", "cable", "port", "lag", "stack", "switch"],
        Trouble::Adjacency(_) => &[
            "underlay", "cable", "port", "lag", "session", "pool", "site", "pair", "stack",
            "switch", "tunnel",
        ],
        Trouble::Pseudowire(_) => {
            &["tunnel", "underlay", "session", "site", "cable", "port", "lag", "pool", "switch"]
        }
        Trouble::WayOut { .. } => &[
            "vrf", "underlay", "cable", "port", "lag", "segment", "tree", "pair", "stack", "switch",
        ],
        Trouble::Session(_) | Trouble::Apart { .. } => &[
            "session", "overlay", "segment", "vrf", "underlay", "cable", "port", "lag", "pool",
            "site", "pair", "stack", "es", "switch",
        ],
    }
}

/// What the findings of a report explain, told or accepted.
///
/// ```
/// use felting::rules::Claims;
/// let rule = felting::rules::find("lag-mode-deadlock").unwrap();
/// let fabric = felting::Fabric::from_text("f.toml", rule.broken);
/// let state = felting::State::of(&fabric, &Default::default(), &Default::default());
/// let report = fabric.check();
/// let claims = Claims::of(&report);
/// assert!(state.troubles().iter().all(|&trouble| claims.explain(&state, trouble)));
/// ```
#[derive(Debug)]
pub struct Claims<'r> {
    rules: FxHashSet<&'r str>,
    /// The names that each family of rules is about.
    about: FxHashSet<(&'r str, &'r str)>,
}

impl<'r> Claims<'r> {
    /// Those of a report.
    pub fn of(report: &'r Report) -> Self {
        let accepted = report.accepted.iter().map(|accepted| &accepted.finding);
        let mut claims = Self { rules: FxHashSet::default(), about: FxHashSet::default() };
        for finding in report.findings.iter().chain(accepted) {
            claims.rules.insert(finding.rule.id);
            let family = finding.rule.family();
            claims.about.extend(finding.about.iter().map(|name| (family, name.as_str())));
        }
        claims
    }

    /// Whether a finding explains a trouble: of the rule that reports its cause, as that reports all of them, some in
    /// one finding that names the first; else of a rule that can be behind it, about what it is between.
    pub fn explain(&self, state: &State, trouble: Trouble) -> bool {
        let by_rule = [state.behind(trouble), state.done_by_others(trouble)];
        by_rule.into_iter().flatten().any(|rule| self.rules.contains(rule)) || {
            let names = state.names_of(trouble);
            let mut families = families(trouble).iter();
            families.any(|&family| names.iter().any(|&name| self.about.contains(&(family, name))))
        }
    }
}

impl State {
    /// The names of what a trouble is between, and of the pairs that these are in.
    fn names_of(&self, trouble: Trouble) -> Vec<&str> {
        let fabric = self.fabric();
        let mut devices = self.between(trouble);
        if let Trouble::Apart { here, there } = trouble {
            devices.extend(self.ends_that_lose(here, there));
        }
        let mut names: Vec<&str> = Vec::new();
        for device in devices {
            let made = fabric.device(device);
            names.push(made.name.value.as_str());
            names.extend(made.pair.map(|(pair, _)| fabric.pair(pair).name.as_str()));
        }
        if let Trouble::Apart { here, .. } = trouble {
            let segment = fabric.presence(here).segment;
            names.push(fabric.segment(segment).name.as_str());
        }
        names
    }

    /// The rule about what routers on the way do to routes, which may be neither VTEP.
    fn done_by_others(&self, trouble: Trouble) -> Option<&'static str> {
        let Trouble::Apart { here, there } = trouble else { return None };
        match self.tunnels(here, there).err()? {
            Apart::NextHop => Some("overlay-next-hop-rewritten"),
            Apart::NoCommunities => Some("session-communities-dropped"),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use super::*;
    use crate::fabric::{Condition, Fabric};
    use crate::progress::Progress;
    use crate::rules::Terms;
    use crate::rules::accepted::Acceptances;
    use crate::rules::kept::Kept;

    #[test]
    fn what_no_finding_explains_is_told_with_its_place() {
        let rule = crate::rules::find("lag-mode-deadlock").unwrap();
        let fabric = Fabric::from_text("f.toml", rule.broken);
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        let acceptances = Arc::new(Acceptances::under(&fabric, Terms::default()));
        let (troubles, mut kept) = (state.troubles(), Kept::under(&acceptances));
        let mut out = Findings::of(&UNEXPLAINED, &fabric, &mut kept);
        report_unexplained(&state, &troubles, &mut out);
        let told: Vec<&str> = kept.findings.iter().map(|one| one.what.message.as_str()).collect();
        let alone = "alone: nobody answers, and one more like it";
        let wanted =
            ["kelp-a p1 is not in use in kelp-a to-b", "kelp-b p1 is not in use in kelp-b to-a"];
        assert_eq!(told, wanted.map(|what| format!("{what}: {alone}")));
        let known = state.check(None, &Progress::default());
        let claims = Claims::of(&known);
        assert!(troubles.iter().all(|&trouble| claims.explain(&state, trouble)));
    }
}
