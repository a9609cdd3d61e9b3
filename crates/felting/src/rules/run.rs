//! Running the rules: their order, severities, and what expectations say.

use std::sync::{Arc, OnceLock};

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use smol_str::SmolStr;

use super::accepted::Acceptances;
use super::check::{Check, Context, Findings};
use super::claims::{Claims, UNEXPLAINED, report_unexplained};
use super::held_back::hold_back;
use super::kept::Kept;
use super::terms::Terms;
use super::{all, checks, endpoint, expect};
use crate::behaviour::{State, Trouble};
use crate::diagnostic::{At, Finding, Report, Rule, Severity};
use crate::fabric::{Condition, DeviceId, DeviceKind, EndpointId, Fabric, Terminal};
use crate::progress::{Progress, Stage};
use crate::walk::{Among, Failure, Lost, Unmet, Unreached, Walk, judge};

/// The rules about trouble that no other explains: they run when the others have.
const LAST: &[&str] = &[
    "session-unreachable",
    "underlay-vtep-unreachable",
    "overlay-vtep-unheard",
    "tunnel-far-unreachable",
    "lag-member-uncabled",
    "vrf-outside-unreachable",
    "vrf-default-missing",
    "port-untagged-also-tagged",
];

impl Fabric {
    /// Runs every rule with nothing down. Acceptances hold whatever their date; [`State::check`] takes the day.
    pub fn check(&self) -> Report {
        let quiet = Progress::default();
        State::of(self, &Condition::default(), &quiet).check(None, &quiet)
    }
}

impl State {
    /// Runs every rule, as of a day if one is given: acceptances that ended before it no longer hold. [`Terms`] say
    /// what else holds.
    ///
    /// With something down, what is found is so as things are then.
    pub fn check(&self, terms: impl Into<Terms>, progress: &Progress) -> Report {
        let terms = terms.into();
        // An expectation can be dear to judge, and nobody hears of one whose rule is off.
        let is_off = terms.severity(&self.fabric, expect::RULES[0].rule.id) == Some(None);
        let failures = if is_off { Vec::new() } else { judge(self, progress) };
        self.check_judged(&failures, terms, progress)
    }

    /// As [`check`](Self::check), with what is [expected](crate::walk::judge) judged already.
    pub fn check_judged(
        &self,
        failures: &[Failure],
        terms: impl Into<Terms>,
        progress: &Progress,
    ) -> Report {
        check(self, failures, terms.into(), progress)
    }
}

fn check(state: &State, failures: &[Failure], terms: Terms, progress: &Progress) -> Report {
    let fabric = state.fabric();
    let today = terms.day;
    progress.begin(Stage::Rules, all().count());
    let whole = OnceLock::new();
    let acceptances = Arc::new(Acceptances::under(fabric, terms));
    let run = |checks: Vec<&'static Check>, matched: &FxHashSet<usize>, found: &[Kept]| {
        let context = Context { fabric, state, matched, found, today, whole: &whole };
        // Each rule has its own list, so that what is found does not depend on who is first.
        let lists = checks.into_par_iter().with_max_len(1).map(|check| {
            let rule = &check.rule;
            let mut kept = Kept::under(&acceptances);
            let of_fabric = terms.severity(fabric, rule.id);
            if let Some(severity) = of_fabric.unwrap_or(Some(rule.severity)) {
                let fixed = of_fabric.is_some();
                let mut out = Findings { rule, severity, fixed, fabric, kept: &mut kept };
                (check.check)(&context, &mut out);
            }
            progress.advance(1);
            kept
        });
        lists.collect::<Vec<_>>()
    };
    let of_accept = |check: &&'static Check| check.rule.family() == "accept";
    let is_last = |check: &&'static Check| LAST.contains(&check.rule.id);
    let (last, first): (Vec<_>, Vec<_>) =
        checks().filter(|check| !of_accept(check)).partition(|check| is_last(check));
    let none = FxHashSet::default();
    let mut found = run(first, &none, &[]);
    // One after the other, as each leaves alone what the one before has told. What doesn't arrive may be
    // missing because of an input fault.
    for rule in last {
        if !fabric.is_complete() {
            progress.advance(1);
            continue;
        }
        let more = run(vec![rule], &none, &found);
        found.extend(more);
    }
    let (mut report, mut matched) = (Report::default(), FxHashSet::default());
    for kept in found {
        kept.sort_into(&mut report, &mut matched);
    }
    let mut add = |report: &mut Report, found: Kept| {
        found.sort_into(report, &mut matched);
    };
    let mut failed = Kept::under(&acceptances);
    expected(state, failures, terms, &mut report, &mut failed);
    add(&mut report, failed);
    let context = Context { fabric, state, matched: &none, found: &[], today, whole: &whole };
    let mut cut_off = Kept::under(&acceptances);
    hit(&context, terms, &mut report, &mut cut_off);
    add(&mut report, cut_off);
    risk(&context, &mut report);
    let mut open = Kept::under(&acceptances);
    unexplained(&context, terms, &report, &mut open);
    add(&mut report, open);
    // These rules look at the acceptances themselves, so they run when those have been applied.
    let holds = |check: &&'static Check| match check.rule.id {
        "accept-family-off" => !terms.ignores_severities,
        _ => !terms.ignores_accepts,
    };
    let of_files = checks().filter(of_accept).filter(holds).collect();
    for mut kept in run(of_files, &matched, &[]) {
        kept.settle();
        report.beyond.extend(kept.beyond);
        report.findings.extend(kept.findings);
    }
    let by_place = |finding: &Finding| (finding.what.primary.span.order(), finding.rule.id);
    report.findings.sort_by_key(by_place);
    report.accepted.sort_by_key(|accepted| by_place(&accepted.finding));
    report.input_faults = fabric.faults().len();
    hold_back(fabric, &mut report);
    let off = |rule: &&Rule| terms.severity(fabric, rule.id) == Some(None);
    report.rules_off = all().filter(off).map(|rule| rule.id).collect();
    report.rules_off.sort_unstable();
    give_keys(fabric, &mut report);
    report
}

/// Gives each finding what it is known by, accepted or not.
fn give_keys(fabric: &Fabric, report: &mut Report) {
    let accepted = report.accepted.iter_mut().map(|accepted| &mut accepted.finding);
    let mut all: Vec<&mut Finding> = report.findings.iter_mut().chain(accepted).collect();
    all.sort_by_key(|finding| finding.what.primary.span.order());
    let mut alike: FxHashMap<SmolStr, u32> = FxHashMap::default();
    for finding in all {
        let mut about: Vec<&str> = finding.about.iter().map(SmolStr::as_str).collect();
        about.sort_unstable();
        // What is about nothing that has a name is about what is written.
        let written = fabric.sources().text(finding.what.primary.span);
        let about = if about.is_empty() { written.to_owned() } else { about.join(",") };
        let key = SmolStr::new(format!("{}:{about}", finding.rule.id));
        let count = alike.entry(key.clone()).or_default();
        *count += 1;
        finding.key = if *count == 1 { key } else { SmolStr::new(format!("{key}#{count}")) };
    }
}

/// Counts whom each finding hits, and tells of those whom none explains that they are cut off.
fn hit(cx: &Context<'_>, terms: Terms, report: &mut Report, own: &mut Kept) {
    let (fabric, state) = (cx.fabric, cx.state);
    let accepted = report.accepted.iter().map(|accepted| &accepted.finding);
    let told: FxHashSet<&str> = report
        .findings
        .iter()
        .chain(accepted)
        .flat_map(|one| &one.about)
        .map(SmolStr::as_str)
        .collect();
    let unreached = Unreached::of(state, cx.whole(), &told);
    if unreached.lost.is_empty() {
        return;
    }
    let accepted = report.accepted.iter().map(|accepted| &accepted.finding);
    let all: Vec<&Finding> = report.findings.iter().chain(accepted).collect();
    let among = Among::new(all.iter().copied());
    let failed: FxHashMap<&str, usize> = all
        .iter()
        .enumerate()
        .filter(|(_, finding)| finding.rule.id == expect::RULES[0].rule.id)
        .flat_map(|(place, finding)| finding.about.iter().map(move |name| (name.as_str(), place)))
        .collect();
    let told = all.len();
    let explained = unreached.lost.par_iter().map(|lost| {
        lost.walk.explained_at(state, &among, &Lost::Nothing).or_else(|| {
            let ends = [lost.walk.from, lost.walk.to].into_iter().filter_map(Terminal::endpoint);
            let mut names = ends.map(|end| fabric.endpoint(end).name.value.as_str());
            names.find_map(|name| failed.get(name).copied())
        })
    });
    let mut explained = unreached.with_others(explained.collect());
    let rule = &endpoint::CUT_OFF.rule;
    let of_fabric = terms.severity(fabric, rule.id);
    let severity = of_fabric.unwrap_or(Some(rule.severity));
    // Beside an error nobody knows what follows from it, nor beside what is counted alone.
    let any_error =
        all.iter().any(|finding| finding.severity == Severity::Error) || !report.beyond.is_empty();
    if let Some(severity) = severity.filter(|_| fabric.is_complete() && !any_error) {
        let mut out =
            Findings { rule, severity, fixed: of_fabric.is_some(), fabric, kept: &mut *own };
        let apart = kept_apart(fabric);
        let is_meant = |walk: &Walk| {
            let ends = walk.from.endpoint().zip(walk.to.endpoint());
            ends.is_none_or(|(from, to)| !apart.contains(&[from, to]))
        };
        let lost = unreached.lost.iter().zip(&explained).enumerate();
        let open = lost.filter(|(_, (lost, cause))| cause.is_none() && is_meant(&lost.walk));
        let mut open: Vec<(usize, &Walk)> =
            open.map(|(place, (lost, _))| (place, &lost.walk)).collect();
        if let Some(every) = (!open.is_empty()).then(|| with_all_on(cx, terms)).flatten() {
            let accepted = every.accepted.iter().map(|accepted| &accepted.finding);
            let others = every.findings.iter().chain(accepted).filter(|one| one.rule.id != rule.id);
            let among = Among::new(others);
            open.retain(|(_, walk)| walk.explained_at(state, &among, &Lost::Nothing).is_none());
        }
        for (finding, walks) in endpoint::report_cut_off(state, &open, &mut out) {
            for walk in walks {
                explained[walk] = Some(told + finding);
            }
        }
    }
    let mut whom = unreached.whom(&explained);
    drop(all);
    let accepted = report.accepted.iter_mut().map(|accepted| &mut accepted.finding);
    let all = report.findings.iter_mut().chain(accepted).chain(&mut own.findings);
    for (place, finding) in all.enumerate() {
        let Some(endpoints) = whom.remove(&place) else { continue };
        let hosts: FxHashSet<DeviceId> =
            endpoints.iter().map(|&endpoint| state.host_of(endpoint)).collect();
        finding.hits.is_partial = unreached.is_partial;
        finding.hits.endpoints = endpoints.len();
        finding.hits.hosts = hosts.len();
    }
}

/// So many losses are tried; of more findings nobody counts whom one would hit.
const MOST_LOSSES: usize = 64;

/// Counts whom the loss that a finding is about would cut off: of those on its hosts, if it names hosts.
fn risk(cx: &Context<'_>, report: &mut Report) {
    let (fabric, state) = (cx.fabric, cx.state);
    let accepted = report.accepted.iter_mut().map(|accepted| &mut accepted.finding);
    let mut all: Vec<&mut Finding> = report.findings.iter_mut().chain(accepted).collect();
    all.retain(|finding| finding.risk.is_some());
    let mut losses: Vec<String> = Vec::new();
    for risk in all.iter().filter_map(|finding| finding.risk.as_ref()) {
        if losses.len() < MOST_LOSSES && !losses.contains(&risk.lost) {
            losses.push(risk.lost.clone());
        }
    }
    let about: Vec<SmolStr> = all.iter().flat_map(|one| one.about.clone()).collect();
    let told: FxHashSet<&str> = about.iter().map(SmolStr::as_str).collect();
    let today: FxHashSet<EndpointId> = match losses.is_empty() {
        true => FxHashSet::default(),
        false => Unreached::of(state, None, &told).cut_off().into_iter().collect(),
    };
    let without = losses.par_iter().map(|lost| {
        let condition = state.condition().clone().cut(fabric, lost).ok()?;
        let cut_off = Unreached::of(&state.given(&condition), None, &told).cut_off();
        Some(cut_off.into_iter().filter(|endpoint| !today.contains(endpoint)).collect::<Vec<_>>())
    });
    let without: Vec<Option<Vec<EndpointId>>> = without.collect();
    for finding in all {
        let lost = finding.risk.as_ref().and_then(|risk| {
            let place = losses.iter().position(|lost| *lost == risk.lost)?;
            without[place].as_ref()
        });
        let is_host = |name: &SmolStr| {
            let device = fabric.find_device(name)?;
            (fabric.device(device).kind == DeviceKind::Host).then_some(device)
        };
        let named: Vec<DeviceId> = finding.about.iter().filter_map(is_host).collect();
        let all = lost.into_iter().flatten().map(|&endpoint| (endpoint, state.host_of(endpoint)));
        let hit: Vec<_> =
            all.filter(|(_, host)| named.is_empty() || named.contains(host)).collect();
        let hosts: FxHashSet<DeviceId> = hit.iter().map(|&(_, host)| host).collect();
        match &mut finding.risk {
            Some(risk) if !hit.is_empty() => {
                (risk.endpoints, risk.hosts) = (hit.len(), hosts.len());
            }
            risk => *risk = None,
        }
    }
}

/// What all rules find, if the fabric switches some off: what only these would explain, who did so knows of.
fn with_all_on(cx: &Context<'_>, terms: Terms) -> Option<Report> {
    let any_off = all().any(|rule| terms.severity(cx.fabric, rule.id) == Some(None));
    any_off.then(|| check(cx.state, &[], terms.ignore_severities(), &Progress::default()))
}

/// The pairs of endpoints of which it is expected that they do not reach each other.
fn kept_apart(fabric: &Fabric) -> FxHashSet<[EndpointId; 2]> {
    let apart = fabric.expectations().filter(|(_, expectation)| !expectation.reaches.value);
    let pairs = apart.flat_map(|(_, expectation)| {
        let ends = |all: &[At<Terminal>]| -> Vec<EndpointId> {
            all.iter().filter_map(|one| one.value.endpoint()).collect()
        };
        let (from, to) = (ends(&expectation.from), ends(&expectation.to));
        from.into_iter().flat_map(move |a| to.clone().into_iter().map(move |b| [a, b]))
    });
    pairs.flat_map(|[a, b]| [[a, b], [b, a]]).collect()
}

/// Tells what does not work and what nothing explains that was found, is accepted or is switched off.
fn unexplained(cx: &Context<'_>, terms: Terms, report: &Report, own: &mut Kept) {
    let (fabric, state, rule) = (cx.fabric, cx.state, &UNEXPLAINED);
    let of_fabric = terms.severity(fabric, rule.id);
    let Some(severity) = of_fabric.unwrap_or(Some(rule.severity)) else { return };
    // What would explain it may be among what is counted alone.
    if !fabric.is_complete() || !report.beyond.is_empty() {
        return;
    }
    let whole = cx.whole().map(|whole| whole.troubles().into_iter().collect::<FxHashSet<_>>());
    let is_off = |rule: &str| terms.severity(fabric, rule) == Some(None);
    let troubles = state.troubles().into_iter().filter(|&trouble| {
        // What is down with what was cut follows from that.
        whole.as_ref().is_none_or(|whole| whole.contains(&trouble))
            && !state.behind(trouble).is_some_and(is_off)
    });
    let claims = Claims::of(report);
    let mut open: Vec<Trouble> =
        troubles.filter(|&trouble| !claims.explain(state, trouble)).collect();
    if let Some(every) = (!open.is_empty()).then(|| with_all_on(cx, terms)).flatten() {
        let claims = Claims::of(&every);
        open.retain(|&trouble| !claims.explain(state, trouble));
    }
    let fixed = of_fabric.is_some();
    let mut out = Findings { rule, severity, fixed, fabric, kept: own };
    report_unexplained(state, &open, &mut out);
}

/// Judges what is expected. What fails is named at the finding that explains it, unless that is accepted;
/// else it is a finding of its own.
fn expected(
    state: &State,
    failures: &[Failure],
    terms: Terms,
    report: &mut Report,
    own: &mut Kept,
) {
    let fabric = state.fabric();
    if fabric.expectations.is_empty() {
        return;
    }
    let rule = &expect::RULES[0].rule;
    let of_fabric = terms.severity(fabric, rule.id);
    let severity = match of_fabric {
        Some(None) => return,
        Some(Some(severity)) => severity,
        None => rule.severity,
    };
    let fixed = of_fabric.is_some();
    let accepted = report.accepted.iter().map(|accepted| &accepted.finding);
    let among = Among::new(report.findings.iter().chain(accepted));
    let places = failures.par_iter().map(|failure| {
        let walk = failure.walk.as_ref()?;
        match failure.unmet {
            Unmet::Reached => walk.let_through_at(state, &among),
            _ => walk.explained_at(state, &among, &failure.lost),
        }
    });
    let places: Vec<Option<usize>> = places.collect();
    for (failure, place) in failures.iter().zip(places) {
        match place.and_then(|place| report.findings.get_mut(place)) {
            Some(finding) => expect::explain(fabric, failure, severity, finding),
            None => {
                let mut out = Findings { rule, severity, fixed, fabric, kept: &mut *own };
                expect::report(state, failure, &mut out);
            }
        }
    }
}
