//! The catalogue of rules and what they find.
//!
//! A rule is data and one function. It reads the compiled fabric and what the protocols made of
//! it, and reports; severities, acceptances and order are the driver's, here.

/// Parts of examples that many rules share: a small fabric, piece by piece.
macro_rules! part {
    // Two spines and two leaves.
    (plant) => {
        r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "et[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = ["et[1-8] 25G", "et[49-52] 100G"]

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[cabling]
runs = ["kelp-a et[49-50] -- crest-[1-2] et1", "kelp-b et[49-50] -- crest-[1-2] et2"]
"#
    };
    // Their underlay.
    (ospf) => {
        r#"
[[underlay]]
on = ["crest-*", "kelp-*"]
"#
    };
    // One AS number, for sessions inside it.
    (one_as) => {
        r#"
[[router]]
on = ["crest-*", "kelp-*"]
as_number = 4204100000
"#
    };
    // Sessions of the leaves with both spines, which reflect.
    (reflected) => {
        r#"
[[session]]
on = "kelp-*"
to = "crest-*"

[[session]]
on = "crest-*"
to = "kelp-*"
client = true
"#
    };
    // The leaves as VTEPs.
    (vteps) => {
        r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
"#
    };
    // A segment on both.
    (segment) => {
        r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
"#
    };
    // BGP over each link as the underlay, with an AS number a leaf and one for the spines.
    (bgp) => {
        r#"
[[underlay]]
on = ["crest-*", "kelp-*"]
protocol = "bgp"
import = "everything"
export = "everything"

[[router]]
on = "crest-*"
as_number = 4204100001

[[pool]]
name = "leaves"
gives = "as-numbers"
base = 4204100000
on = "kelp-*"
"#
    };
    // A hall and a field station, with what they need but the WAN.
    (sites) => {
        r#"
[[switch]]
name = "inlet-a"
number = 17
role = "border"
ports = "et[49-54] 100G"

[[switch]]
name = "skerry-a"
number = 41
role = "leaf"
ports = "et[49-54] 10G"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[[pool]]
name = "skerry-vteps"
gives = "vteps"
prefix = "10.64.40.0/26"
on = "skerry-a"

[[router]]
on = ["inlet-a", "skerry-a"]
as_number = 4204100000

[[overlay]]
on = ["inlet-a", "skerry-a"]
target_pattern = "42041:{vni}"

[[session]]
on = "inlet-a"
to = "skerry-a"

[[session]]
on = "skerry-a"
to = "inlet-a"

[[site]]
name = "hall"
on = "inlet-a"
"#
    };
    // The field station as a site.
    (skerry) => {
        r#"
[[site]]
name = "skerry"
on = "skerry-a"
"#
    };
    // The WAN between them.
    (wan) => {
        r#"
[[wan]]
name = "fibre"
ends = ["inlet-a et52", "skerry-a et49"]
tags = 100
delay = "4ms"
mtu = 1600
"#
    };
    // The interfaces at its ends.
    (wan_links) => {
        r#"
[[interface]]
on = "inlet-a"
port = "et52"
tag = 100
address = "198.51.100.1/31"

[[interface]]
on = "skerry-a"
port = "et49"
tag = 100
address = "198.51.100.3/31"
"#
    };
    // The routes over it.
    (wan_routes) => {
        r#"
[[route]]
on = "inlet-a"
to = ["10.64.40.0/26", "10.64.8.41/32"]
via = "fibre"

[[route]]
on = "skerry-a"
to = ["10.64.9.0/24", "10.64.8.0/24"]
via = "fibre"
"#
    };
    // Two spines and two leaves with a peer link's cables.
    (pair) => {
        r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "et[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = ["et[1-8] 25G", "et[49-52] 100G"]

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[[management]]
name = "yard"
subnet = "192.0.2.0/24"
on = "kelp-*"

[cabling]
runs = [
  "kelp-a et[49-50] -- crest-[1-2] et1",
  "kelp-b et[49-50] -- crest-[1-2] et2",
  "kelp-a et[51-52] -- kelp-b et[51-52]",
]
"#
    };
    // Two spines and two leaves with one host on both.
    (shared_host) => {
        r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "et[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = ["et[1-8] 25G", "et[49-52] 100G"]

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[[management]]
name = "yard"
subnet = "192.0.2.0/24"
on = "kelp-*"

[cabling]
runs = [
  "kelp-a et[49-50] -- crest-[1-2] et1",
  "kelp-b et[49-50] -- crest-[1-2] et2",
  "silo-1 nic[1-2] -- kelp-[a-b] et1",
]
"#
    };
    // Everything up to the segment, all well.
    (fabric) => {
        concat!(part!(plant), part!(ospf), part!(one_as), part!(reflected), part!(vteps))
    };
}

mod accept;
mod cable;
mod endpoint;
mod es;
mod expect;
mod lag;
mod overlay;
mod pair;
mod port;
mod segment;
mod site;
mod stack;
mod switch;
mod tree;
mod underlay;
mod uplink;
mod vrf;

use jiff::civil::Date;
use rayon::prelude::*;
use rustc_hash::FxHashSet;
use smol_str::SmolStr;

use crate::behavior::State;
use crate::diagnostic::Span;
pub(crate) use crate::diagnostic::{
    Accepted, Diagnostic, Finding, Label, Report, Rule, Severity, some_of,
};
use crate::fabric::{Accept, Condition, DeviceId, Fabric};
use crate::progress::{Progress, Stage};
use crate::source::Pattern;
use crate::walk::{Failure, judge};

/// A rule and how it is checked.
pub(crate) struct Check {
    pub(crate) rule: Rule,
    pub(crate) check: fn(&Context<'_>, &mut Findings<'_>),
}

/// What a rule reads.
#[derive(Clone, Copy)]
pub(crate) struct Context<'a> {
    pub(crate) fabric: &'a Fabric,
    pub(crate) state: &'a State,
    /// The acceptances that matched a finding, by their place in the file's order; only the rules
    /// about acceptances see it filled.
    pub(crate) matched: &'a FxHashSet<usize>,
    /// What the rules before found; only those that run last see it filled.
    pub(crate) found: &'a [Finding],
    /// The day on which acceptances are judged.
    pub(crate) today: Option<Date>,
}

/// Where a rule's findings go.
pub(crate) struct Findings<'a> {
    rule: &'static Rule,
    severity: Severity,
    /// Whether the fabric gives the rule its severity.
    fixed: bool,
    fabric: &'a Fabric,
    list: &'a mut Vec<Finding>,
}

impl<'f> Findings<'f> {
    /// Reports a finding at its primary place.
    pub(crate) fn report(
        &mut self,
        at: Span,
        label: impl Into<String>,
        message: impl Into<String>,
    ) -> Draft<'_, 'f> {
        self.list.push(Finding {
            rule: self.rule,
            severity: self.severity,
            what: Diagnostic::new(message, at, label, String::new()),
            wire: String::new(),
            about: Vec::new(),
        });
        let finding = self.list.last_mut().expect("pushed just now");
        Draft { finding, fixed: self.fixed, fabric: self.fabric }
    }
}

/// A finding that is being written.
pub(crate) struct Draft<'a, 'f> {
    finding: &'a mut Finding,
    fixed: bool,
    fabric: &'f Fabric,
}

impl Draft<'_, '_> {
    /// Another severity than the rule's, for a case that is better or worse than most. What a fabric
    /// says of the rule still holds.
    pub(crate) fn severity(self, severity: Severity) -> Self {
        if !self.fixed {
            self.finding.severity = severity;
        }
        self
    }

    /// The other side of the contradiction.
    pub(crate) fn related(self, span: Span, text: impl Into<String>) -> Self {
        self.finding.what.related.push(Label { span, text: text.into() });
        self
    }

    /// What happens on the wire.
    pub(crate) fn wire(self, text: impl Into<String>) -> Self {
        self.finding.wire = text.into();
        self
    }

    /// What to do.
    pub(crate) fn remedy(self, text: impl Into<String>) -> Self {
        self.finding.what.remedy = text.into();
        self
    }

    /// A switch or host that it is about, and the pair that it is in.
    pub(crate) fn about(self, device: DeviceId) -> Self {
        let made = self.fabric.device(device);
        let pair = made.pair.map(|(pair, _)| &self.fabric.pair(pair).name.value);
        [Some(&made.name.value), pair].into_iter().flatten().fold(self, Self::about_name)
    }

    /// Another thing that it is about, by name.
    pub(crate) fn about_name(self, name: &SmolStr) -> Self {
        if !self.finding.about.contains(name) {
            self.finding.about.push(name.clone());
        }
        self
    }
}

/// The rules about trouble that no other explains: they run when the others have.
const LAST: &[&str] =
    &["overlay-session-unreachable", "underlay-vtep-unreachable", "overlay-vtep-unheard"];

impl Context<'_> {
    /// Whether a rule before has found something grave that has to do with one of some switches. Only rules
    /// that run last may ask.
    pub(crate) fn is_told(&self, families: &[&str], devices: &[DeviceId]) -> bool {
        let names = |name: &SmolStr| {
            let device = self.fabric.find_device(name);
            device.is_some_and(|device| devices.contains(&device))
        };
        self.found.iter().any(|finding| {
            finding.severity > Severity::Hint
                && families.contains(&finding.rule.family())
                && finding.about.iter().any(names)
        })
    }
}

/// All rules, family by family in the order of precedence.
pub fn all() -> impl Iterator<Item = &'static Rule> + Clone {
    checks().map(|check| &check.rule)
}

fn checks() -> impl Iterator<Item = &'static Check> + Clone {
    [
        switch::RULES,
        cable::RULES,
        port::RULES,
        lag::RULES,
        pair::RULES,
        stack::RULES,
        es::RULES,
        tree::RULES,
        underlay::RULES,
        overlay::RULES,
        segment::RULES,
        vrf::RULES,
        site::RULES,
        uplink::RULES,
        endpoint::RULES,
        expect::RULES,
        accept::RULES,
    ]
    .into_iter()
    .flatten()
    .copied()
}

/// The rule of an id.
pub fn find(id: &str) -> Option<&'static Rule> {
    all().find(|rule| rule.id == id)
}

impl Fabric {
    /// Runs every rule with nothing down. Acceptances hold whatever their date; [`State::check`] takes the day.
    pub fn check(&self) -> Report {
        let quiet = Progress::default();
        State::of(self, &Condition::default(), &quiet).check(None, &quiet)
    }
}

impl State {
    /// Runs every rule, as of a day if one is given: acceptances that ended before it no longer hold.
    ///
    /// Meant for the state in which nothing is down: what is found under another [`Condition`] is said as if the
    /// fabric were built so.
    pub fn check(&self, today: Option<Date>, progress: &Progress) -> Report {
        // An expectation can be dear to judge, and nobody hears of one whose rule is off.
        let is_off = self.fabric.severities.get(expect::RULES[0].rule.id) == Some(&None);
        let failures = if is_off { Vec::new() } else { judge(self, progress) };
        self.check_judged(&failures, today, progress)
    }

    /// As [`check`](Self::check), with what is [expected](crate::walk::judge) judged already.
    pub fn check_judged(
        &self,
        failures: &[Failure],
        today: Option<Date>,
        progress: &Progress,
    ) -> Report {
        check(self, failures, today, progress)
    }
}

fn check(state: &State, failures: &[Failure], today: Option<Date>, progress: &Progress) -> Report {
    let fabric = state.fabric();
    progress.begin(Stage::Rules, all().count());
    let run = |checks: Vec<&'static Check>, matched: &FxHashSet<usize>, found: &[Finding]| {
        let context = Context { fabric, state, matched, found, today };
        // Each rule has its own list, so that what is found does not depend on who is first.
        let lists = checks.into_par_iter().with_max_len(1).map(|check| {
            let rule = &check.rule;
            let mut list = Vec::new();
            let of_fabric = fabric.severities.get(rule.id);
            if let Some(severity) = of_fabric.copied().unwrap_or(Some(rule.severity)) {
                let fixed = of_fabric.is_some();
                let mut out = Findings { rule, severity, fixed, fabric, list: &mut list };
                (check.check)(&context, &mut out);
            }
            progress.advance(1);
            list
        });
        lists.collect::<Vec<_>>().into_iter().flatten().collect::<Vec<_>>()
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
    let Sorted { mut report, mut matched } = accepted(fabric, found, today);
    let failed = accepted(fabric, expected(state, failures, &mut report), today);
    report.findings.extend(failed.report.findings);
    report.accepted.extend(failed.report.accepted);
    matched.extend(failed.matched);
    // These rules look at the acceptances themselves, so they run when those have been applied.
    report.findings.extend(run(checks().filter(of_accept).collect(), &matched, &[]));
    let by_place = |finding: &Finding| (finding.what.primary.span.order(), finding.rule.id);
    report.findings.sort_by_key(by_place);
    report.accepted.sort_by_key(|accepted| by_place(&accepted.finding));
    report
}

/// Judges what is expected. What fails is named at the finding that explains it, unless that is accepted;
/// else it is a finding of its own.
fn expected(state: &State, failures: &[Failure], report: &mut Report) -> Vec<Finding> {
    let fabric = state.fabric();
    let mut own = Vec::new();
    if fabric.expectations.is_empty() {
        return own;
    }
    let rule = &expect::RULES[0].rule;
    let severity = match fabric.severities.get(rule.id) {
        Some(None) => return own,
        Some(Some(severity)) => *severity,
        None => rule.severity,
    };
    let fixed = fabric.severities.contains_key(rule.id);
    for failure in failures {
        let accepted = report.accepted.iter().map(|accepted| &accepted.finding);
        let all: Vec<&Finding> = report.findings.iter().chain(accepted).collect();
        let walk = failure.walk.as_ref();
        let place = walk.and_then(|walk| walk.explained_at(fabric, &all, &failure.lost));
        match place.and_then(|place| report.findings.get_mut(place)) {
            Some(finding) => expect::explain(fabric, failure, severity, finding),
            None => {
                let mut out = Findings { rule, severity, fixed, fabric, list: &mut own };
                expect::report(fabric, failure, &mut out);
            }
        }
    }
    own
}

struct Sorted {
    report: Report,
    /// The acceptances that matched a finding, by their place in the file's order.
    matched: FxHashSet<usize>,
}

fn accepted(fabric: &Fabric, list: Vec<Finding>, today: Option<Date>) -> Sorted {
    let mut sorted = Sorted { report: Report::default(), matched: FxHashSet::default() };
    let patterns: Vec<Vec<Pattern>> = fabric
        .accepts
        .iter()
        .map(|accept| accept.on.iter().filter_map(|on| Pattern::parse(&on.value).ok()).collect())
        .collect();
    for finding in list {
        let matches = |(accept, patterns): &(&Accept, &Vec<Pattern>)| {
            let named =
                || finding.about.iter().any(|name| patterns.iter().any(|p| p.matches(name)));
            accept.rule.value == finding.rule.id && (accept.on.is_empty() || named())
        };
        let mut holding = None;
        for (index, (accept, _)) in
            fabric.accepts.iter().zip(&patterns).enumerate().filter(|(_, pair)| matches(pair))
        {
            sorted.matched.insert(index);
            if !expired(accept, today) {
                holding = holding.or(Some(accept));
            }
        }
        match holding {
            Some(accept) => sorted.report.accepted.push(Accepted {
                finding,
                reason: accept
                    .reason
                    .as_ref()
                    .map(|reason| reason.value.clone())
                    .unwrap_or_default(),
                until: accept.until.map(|until| until.value),
            }),
            None => sorted.report.findings.push(finding),
        }
    }
    sorted
}

pub(crate) fn expired(accept: &Accept, today: Option<Date>) -> bool {
    accept.until.zip(today).is_some_and(|(until, today)| until.value < today)
}
