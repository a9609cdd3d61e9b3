//! Whether what is expected of a fabric holds, and despite what losses.
//!
//! A loss can only break a walk that depends on what is lost: on a cable or switch of one of its ways, on
//! the other side of a pair or a stack that these are of, on what a spanning tree joins them with, or on a speaker
//! that brings the routes. All of these are tried, each in a state of its own, once for all expectations that
//! depend on it. Of an expectation of many pairs one is walked for all that nothing tells apart.

use std::collections::{BTreeMap, BTreeSet};
use std::net::IpAddr;
use std::sync::OnceLock;
use std::sync::atomic::{AtomicUsize, Ordering};

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::alike::{Classes, Group, Kind, Leaves, Spot, kinds, placed};
use super::asked::{NoWalk, Options};
use super::path::{Act, Table, Way};
use super::walked::Walk;
use super::walker::Walker;
use super::why::why;
use crate::behaviour::underlay::Towards;
use crate::behaviour::{BridgeId, BridgePortId, State};
use crate::diagnostic::At;
use crate::fabric::{
    CableId, Condition, DeviceId, DeviceKind, Expectation, ExpectationId, Fabric, LagId, Loss,
    PortId, StackId, Terminal,
};
use crate::id::IdVec;
use crate::progress::{Progress, Stage};
use crate::value::{EthernetSegmentMode, Family, Vni};

/// What was lost when an expectation failed.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Lost {
    /// Nothing.
    Nothing,
    /// A cable.
    Cable(CableId),
    /// A switch.
    Switch(DeviceId),
    /// A member of a stack, by its place there.
    Member(StackId, usize),
    /// A thing as the expectation names it.
    Thing(String),
}

impl Lost {
    /// All that can be lost of a fabric by itself: each cable, each switch, each member of a stack; hosts are what
    /// losses are asked for.
    ///
    /// ```
    /// use felting::walk::Lost;
    /// let fabric = felting::Fabric::from_path("../../demo/saltmarsh");
    /// let state = felting::State::of(&fabric, &felting::Condition::default(), &felting::Progress::default());
    /// let spine = Lost::each(&fabric).find(|lost| lost.words(&fabric) == "crest-1").unwrap();
    /// assert!(state.given(&spine.condition(&state)).is_off(fabric.find_device("crest-1").unwrap()));
    /// ```
    pub fn each(fabric: &Fabric) -> impl Iterator<Item = Self> + '_ {
        let cables = fabric.cables().map(|(id, _)| Self::Cable(id));
        let switches = fabric.devices().filter(|(_, device)| device.kind == DeviceKind::Switch);
        let switches = switches.flat_map(|(id, device)| match device.stack {
            None => vec![Self::Switch(id)],
            Some(stack) => {
                let places = 0..fabric.stack(stack).members.len();
                places.map(|place| Self::Member(stack, place)).collect()
            }
        });
        cables.chain(switches)
    }

    /// The condition of a state, with this lost too.
    pub fn condition(&self, state: &State) -> Condition {
        let already = state.condition().clone();
        match self {
            Self::Nothing => already,
            Self::Cable(cable) => already.cable(*cable),
            Self::Switch(device) => already.device(*device),
            Self::Member(stack, place) => already.stack_member(*stack, *place),
            // What cannot be cut has been told as an input fault.
            Self::Thing(what) => already.clone().cut(state.fabric(), what).unwrap_or(already),
        }
    }

    /// The devices that it is of.
    pub(crate) fn devices(&self, fabric: &Fabric) -> Vec<DeviceId> {
        match self {
            Self::Nothing => Vec::new(),
            Self::Cable(cable) => {
                fabric.cable(*cable).ends.map(|end| fabric.port(end.value).device).to_vec()
            }
            Self::Switch(device) => vec![*device],
            Self::Member(stack, _) => vec![fabric.stack(*stack).switch.value],
            Self::Thing(what) => {
                what.split_whitespace().filter_map(|word| fabric.find_device(word)).collect()
            }
        }
    }

    /// In the words that `--cut` takes.
    pub fn words(&self, fabric: &Fabric) -> String {
        match self {
            Self::Nothing => String::new(),
            Self::Cable(cable) => fabric.cable_words(*cable),
            Self::Switch(device) => fabric.device_name(*device).to_owned(),
            Self::Member(stack, place) => fabric.member_words(*stack, *place),
            Self::Thing(what) => what.clone(),
        }
    }
}

/// What of an expectation does not hold.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Unmet {
    /// There is nothing to walk.
    NoWalk(NoWalk),
    /// The one does not reach the other.
    NotReached,
    /// The one reaches the other, and must not.
    Reached,
    /// Packets cross the fabric in another VNI.
    Vni(Vni),
    /// They are not routed by the VRF.
    Vrf,
    /// They pass so many routers.
    Hops(u32),
    /// The largest that gets through has so many bytes.
    Mtu(u32),
}

/// An expectation that does not hold: the first that was found of it.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Failure {
    /// The expectation.
    pub expectation: ExpectationId,
    /// From whom.
    pub from: Terminal,
    /// To whom.
    pub to: Terminal,
    /// What was lost.
    pub lost: Lost,
    /// What does not hold.
    pub unmet: Unmet,
    /// The walk that shows it.
    pub walk: Option<Walk>,
    /// Why that walk stops where it does, if it stops, as things are with this loss.
    pub why: Option<String>,
}

/// One walk that must hold in some condition.
#[derive(Clone, Copy, Debug)]
struct Case {
    expectation: ExpectationId,
    from: Terminal,
    to: Terminal,
}

/// Judges all expectations: those that do not hold, one failure each, in their order: as things are in the
/// state, and with each loss on top of what is down there.
pub fn judge(state: &State, progress: &Progress) -> Vec<Failure> {
    let fabric = state.fabric();
    progress.begin(Stage::Expectations, fabric.expectations().len());
    let ids: Vec<ExpectationId> = fabric.expectations().map(|(id, _)| id).collect();
    // A few walkers, so that each meets what it knows again.
    let share = ids.len().div_ceil(2 * rayon::current_num_threads()).max(1);
    let leaves = OnceLock::new();
    let judged: Vec<Judged> =
        ids.par_chunks(share).map(|ids| with_nothing_lost(state, &leaves, ids, progress)).collect();
    let mut failures: BTreeMap<ExpectationId, Failure> = BTreeMap::new();
    let mut tried: BTreeMap<Lost, Vec<Tried>> = BTreeMap::new();
    let mut many: BTreeMap<ExpectationId, Many> = BTreeMap::new();
    for one in judged {
        failures.extend(one.failures.into_iter().map(|failure| (failure.expectation, failure)));
        many.extend(one.many);
        for (lost, what) in one.tried {
            tried.entry(lost).or_default().push(what);
        }
    }
    // With an expectation that fails already nothing more is tried.
    let tried: Vec<(Lost, Vec<Tried>)> = tried
        .into_iter()
        .map(|(lost, mut all)| {
            all.retain(|what| !failures.contains_key(&what.expectation()));
            (lost, all)
        })
        .filter(|(_, all)| !all.is_empty())
        .collect();
    progress.more(tried.len());
    // The first loss that each fails with: after it no other is tried.
    let failed = IdVec::of(ids.iter().map(|_| AtomicUsize::new(usize::MAX)).collect::<Vec<_>>());
    let found = tried.par_iter().enumerate().map(|(place, (lost, all))| {
        let failures = despite(state, lost, all, &many, |expectation: ExpectationId| {
            failed[expectation].load(Ordering::Relaxed) < place
        });
        for failure in &failures {
            failed[failure.expectation].fetch_min(place, Ordering::Relaxed);
        }
        progress.advance(1);
        failures
    });
    let found: Vec<Vec<Failure>> = found.collect();
    for failure in found.into_iter().flatten() {
        failures.entry(failure.expectation).or_insert(failure);
    }
    failures.into_values().collect()
}

/// Of as many pairs each is walked; of more, one for all that nothing tells apart.
const FEW: usize = 16;

/// What of an expectation is tried with something lost.
#[derive(Clone, Copy, Debug)]
enum Tried {
    /// One pair, which may stand for others.
    Pair(Case),
    /// Those of many that are on a host at an end of the cable that is lost, with some that stand for all others.
    OfHost(ExpectationId),
    /// All of many, told apart anew.
    All(ExpectationId),
}

impl Tried {
    fn expectation(&self) -> ExpectationId {
        match self {
            Self::Pair(case) => case.expectation,
            Self::OfHost(expectation) | Self::All(expectation) => *expectation,
        }
    }
}

/// The ends of an expectation of many pairs, with what they are alike in.
#[derive(Debug)]
struct Many {
    from: Vec<Spot>,
    to: Vec<Spot>,
    /// The first of those that are alike and in one place, of both sides.
    firsts: [Vec<usize>; 2],
    /// Those of both sides that are on each host.
    on_host: FxHashMap<DeviceId, [Vec<usize>; 2]>,
}

impl Many {
    /// The ends of an expectation, if it has many pairs.
    fn of(state: &State, leaves: &OnceLock<Leaves>, expectation: &Expectation) -> Option<Self> {
        if expectation.from.len().saturating_mul(expectation.to.len()) <= FEW {
            return None;
        }
        let mut classes = Classes::of(leaves.get_or_init(|| Leaves::of(state)));
        let mut spots = |ends: &[At<Terminal>]| -> Vec<Spot> {
            let spot = |end: &At<Terminal>| match end.value {
                Terminal::Endpoint(endpoint, None) => classes.spot(state, endpoint),
                _ => classes.alone(),
            };
            ends.iter().map(spot).collect()
        };
        let (from, to) = (spots(&expectation.from), spots(&expectation.to));
        let firsts = [&from, &to]
            .map(|spots| Group::all(spots).into_iter().flat_map(|group| group.firsts).collect());
        let mut on_host: FxHashMap<DeviceId, [Vec<usize>; 2]> = FxHashMap::default();
        for (side, spots) in [&from, &to].into_iter().enumerate() {
            for (place, spot) in spots.iter().enumerate() {
                if let Some(host) = spot.host {
                    on_host.entry(host).or_default()[side].push(place);
                }
            }
        }
        Some(Self { from, to, firsts, on_host })
    }

    /// Pairs that stand for all others.
    fn kinds(&self, expectation: &Expectation) -> Vec<Kind> {
        kinds(&self.from, &self.to, |a, b| is_one(expectation, a, b))
    }

    /// Pairs that stand for all others with something lost that is none of the hosts'.
    fn placed(&self, expectation: &Expectation) -> Vec<Kind> {
        let mut placed = placed(&self.from, &self.to, |a, b| is_one(expectation, a, b));
        placed.sort_unstable_by_key(|kind| (kind.from, kind.to));
        placed
    }

    /// Pairs that stand for all with an end on a host.
    fn of_host(&self, host: DeviceId, expectation: &Expectation) -> BTreeSet<(usize, usize)> {
        let Some(on_host) = self.on_host.get(&host) else { return BTreeSet::new() };
        // Of a class the first two, so that there is one for the other.
        let some = |spots: &[Spot], places: &[usize]| -> Vec<usize> {
            let mut seen: BTreeMap<u32, usize> = BTreeMap::new();
            let is_wanted = |place: &usize| {
                let count = seen.entry(spots[*place].class).or_default();
                *count += 1;
                *count <= 2
            };
            places.iter().copied().filter(is_wanted).collect()
        };
        let (from, to) = (some(&self.from, &on_host[0]), some(&self.to, &on_host[1]));
        let [firsts, others] = &self.firsts;
        let out = from.iter().flat_map(|&a| others.iter().chain(&to).map(move |&b| (a, b)));
        let into = firsts.iter().flat_map(|&a| to.iter().map(move |&b| (a, b)));
        out.chain(into).filter(|&(a, b)| !is_one(expectation, a, b)).collect()
    }
}

/// Whether both ends of a pair are one endpoint.
fn is_one(expectation: &Expectation, from: usize, to: usize) -> bool {
    let end = |end: Terminal| end.endpoint();
    let (from, to) = (end(expectation.from[from].value), end(expectation.to[to].value));
    from.is_some() && from == to
}

/// What some expectations come to with nothing lost, and what is to be tried.
#[derive(Debug, Default)]
struct Judged {
    failures: Vec<Failure>,
    tried: Vec<(Lost, Tried)>,
    many: Vec<(ExpectationId, Many)>,
}

fn with_nothing_lost(
    state: &State,
    leaves: &OnceLock<Leaves>,
    ids: &[ExpectationId],
    progress: &Progress,
) -> Judged {
    let fabric = state.fabric();
    let mut judged = Judged::default();
    let mut walker = Walker::new(state);
    'expectations: for &id in ids {
        progress.advance(1);
        let expectation = fabric.expectation(id);
        let many = Many::of(state, leaves, expectation);
        let cases: Vec<Case> = match &many {
            None => cases(id, expectation).collect(),
            Some(many) => {
                let kinds = match expectation.despite.is_empty() {
                    true => many.kinds(expectation),
                    false => many.placed(expectation),
                };
                kinds.iter().map(|kind| Case::of(id, expectation, kind.from, kind.to)).collect()
            }
        };
        let mut tried: BTreeSet<Lost> = BTreeSet::new();
        let mut of_cases: Vec<(Lost, Tried)> = Vec::new();
        for case in cases {
            let walked = walker.walk(case.from, case.to, Options::ALL);
            if let Some(unmet) = unmet(expectation, &walked) {
                judged.failures.push(failure(fabric, case, Lost::Nothing, unmet, walked));
                continue 'expectations;
            }
            let Ok(walk) = &walked else { continue };
            for lost in losses(state, expectation, walk) {
                match (&many, &lost) {
                    // Told apart below: each of them has cables of its own, and a name may mean anything.
                    (Some(_), Lost::Thing(_)) => {
                        tried.insert(lost);
                    }
                    (Some(_), Lost::Cable(cable)) if hosts_at(fabric, *cable).next().is_some() => {
                        tried.insert(lost);
                    }
                    _ => of_cases.push((lost, Tried::Pair(case))),
                }
            }
        }
        judged.tried.append(&mut of_cases);
        let Some(many) = many else { continue };
        let any_cable =
            |loss: &At<Loss>| matches!(loss.value, Loss::AnyCable | Loss::AnyCableOrSwitch);
        if expectation.despite.iter().any(any_cable) {
            let ports = many.on_host.keys().flat_map(|&host| fabric.device(host).ports.iter());
            let cables = ports.filter_map(|port| fabric.link(port));
            tried.extend(cables.map(|(cable, _)| Lost::Cable(cable)));
        }
        judged.tried.extend(tried.into_iter().map(|lost| match lost {
            Lost::Cable(_) => (lost, Tried::OfHost(id)),
            _ => (lost, Tried::All(id)),
        }));
        judged.many.push((id, many));
    }
    judged
}

/// The hosts at the ends of a cable.
fn hosts_at(fabric: &Fabric, cable: CableId) -> impl Iterator<Item = DeviceId> + '_ {
    let ends = fabric.cable(cable).ends.map(|end| fabric.port(end.value).device);
    ends.into_iter().filter(|&end| fabric.device(end).kind == DeviceKind::Host)
}

/// What fails of some walks with one thing lost, one failure of each expectation; some are settled already.
fn despite(
    whole: &State,
    lost: &Lost,
    tried: &[Tried],
    many: &BTreeMap<ExpectationId, Many>,
    is_settled: impl Fn(ExpectationId) -> bool,
) -> Vec<Failure> {
    let fabric = whole.fabric();
    if tried.iter().all(|what| is_settled(what.expectation())) {
        return Vec::new();
    }
    let state = whole.given(&lost.condition(whole));
    let leaves = OnceLock::new();
    let mut walker = Walker::new(&state);
    let mut found: BTreeMap<ExpectationId, Failure> = BTreeMap::new();
    for what in tried {
        let id = what.expectation();
        if is_settled(id) || found.contains_key(&id) {
            continue;
        }
        let expectation = fabric.expectation(id);
        let case = |(from, to): (usize, usize)| Case::of(id, expectation, from, to);
        let cases: Vec<Case> = match what {
            Tried::Pair(case) => vec![*case],
            Tried::OfHost(_) => {
                let hosts = match lost {
                    Lost::Cable(cable) => hosts_at(fabric, *cable).collect(),
                    _ => Vec::new(),
                };
                let Some(many) = many.get(&id) else { continue };
                let pairs = hosts.into_iter().flat_map(|host| many.of_host(host, expectation));
                pairs.map(case).collect()
            }
            Tried::All(_) => {
                let many = Many::of(&state, &leaves, expectation);
                let kinds = many.map(|many| many.kinds(expectation)).unwrap_or_default();
                kinds.iter().map(|kind| case((kind.from, kind.to))).collect()
            }
        };
        for case in cases {
            let walked = walker.walk(case.from, case.to, Options::ALL);
            if let Some(unmet) = unmet(expectation, &walked) {
                found.insert(id, failure(fabric, case, lost.clone(), unmet, walked));
                break;
            }
        }
    }
    found.into_values().collect()
}

fn failure(
    fabric: &Fabric,
    case: Case,
    lost: Lost,
    unmet: Unmet,
    walked: Result<Walk, NoWalk>,
) -> Failure {
    let Case { expectation, from, to } = case;
    let walk = walked.ok();
    let stop = walk.as_ref().and_then(Walk::root);
    let why = stop.map(|(hop, stop)| why(fabric, hop, stop));
    Failure { expectation, from, to, lost, unmet, walk, why }
}

impl Case {
    fn of(id: ExpectationId, expectation: &Expectation, from: usize, to: usize) -> Self {
        let (from, to) = (expectation.from[from].value, expectation.to[to].value);
        Self { expectation: id, from, to }
    }
}

/// From each to each other.
fn cases(id: ExpectationId, expectation: &Expectation) -> impl Iterator<Item = Case> + '_ {
    let pairs = (0..expectation.from.len())
        .flat_map(|from| (0..expectation.to.len()).map(move |to| (from, to)));
    let pairs = pairs.filter(|&(from, to)| !is_one(expectation, from, to));
    pairs.map(move |(from, to)| Case::of(id, expectation, from, to))
}

/// What of an expectation a walk does not meet.
fn unmet(expectation: &Expectation, walked: &Result<Walk, NoWalk>) -> Option<Unmet> {
    let walk = match walked {
        Ok(walk) => walk,
        Err(error) => return Some(Unmet::NoWalk(error.clone())),
    };
    let some = walk.there.arrival().is_some()
        && walk.back.as_ref().is_some_and(|back| back.arrival().is_some());
    match (expectation.reaches.value, walk.arrives()) {
        (true, false) => return Some(Unmet::NotReached),
        (false, _) if some => return Some(Unmet::Reached),
        (false, _) => return None,
        (true, true) => {}
    }
    let acts = || walk.paths().flat_map(|path| &path.hops).flat_map(|hop| &hop.acts);
    if let Some(wanted) = expectation.vni {
        let other = acts().find_map(|act| match act {
            Act::Encapsulates { vni, .. } if *vni != wanted.value => Some(*vni),
            _ => None,
        });
        if let Some(other) = other {
            return Some(Unmet::Vni(other));
        }
    }
    if let Some(wanted) = expectation.vrf {
        let by = |act: &Act| matches!(act, Act::Routes { table: Table::Vrf(vrf), .. } if *vrf == wanted.value);
        if !acts().any(by) {
            return Some(Unmet::Vrf);
        }
    }
    let routers = walk.paths().map(Way::routers).max().unwrap_or(0);
    if expectation.hops.is_some_and(|most| routers > u32::from(most.value)) {
        return Some(Unmet::Hops(routers));
    }
    match (expectation.mtu, walk.mtu()) {
        (Some(least), Some(mtu)) if mtu < least.get() => Some(Unmet::Mtu(mtu)),
        _ => None,
    }
}

/// What is lost by its name: a switch or a cable like any other, else whatever there is to cut.
fn named(fabric: &Fabric, what: &str) -> Lost {
    let switch = fabric.find_device(what).filter(|&device| {
        let made = fabric.device(device);
        made.kind == DeviceKind::Switch && made.stack.is_none()
    });
    let words: Vec<&str> = what.split_whitespace().collect();
    let cable = match words[..] {
        ["cable", device, port] => fabric
            .find_device(device)
            .and_then(|device| fabric.find_port(device, port))
            .and_then(|port| fabric.link(port)),
        _ => None,
    };
    let cable = cable.map(|(cable, _)| Lost::Cable(cable));
    switch.map(Lost::Switch).or(cable).unwrap_or_else(|| Lost::Thing(what.to_owned()))
}

/// What may be lost of what a walk depends on.
fn losses(state: &State, expectation: &Expectation, walk: &Walk) -> BTreeSet<Lost> {
    let fabric = state.fabric();
    let mut found = BTreeSet::new();
    for loss in &expectation.despite {
        let (cables, switches) = match &loss.value {
            Loss::Nothing => continue,
            Loss::Thing(what) => {
                found.insert(named(fabric, what));
                continue;
            }
            Loss::AnyCable => (true, false),
            Loss::AnySwitch => (false, true),
            Loss::AnyCableOrSwitch => (true, true),
        };
        let depends = Depends::of(state, walk);
        if cables {
            found.extend(depends.cables.iter().map(|&cable| Lost::Cable(cable)));
        }
        for &switch in depends.switches.iter().filter(|_| switches) {
            match fabric.device(switch).stack {
                // Of a stack one member is one switch.
                Some(stack) => {
                    let members = 0..fabric.stack(stack).members.len();
                    found.extend(members.map(|place| Lost::Member(stack, place)));
                }
                None => {
                    found.insert(Lost::Switch(switch));
                }
            }
        }
    }
    found
}

/// The legs on a walk's ways of Ethernet segments of which one leaf forwards.
fn elected_legs<'a>(fabric: &'a Fabric, walk: &'a Walk) -> impl Iterator<Item = LagId> + 'a {
    let exits = walk.paths().flat_map(|path| &path.hops).flat_map(|hop| &hop.exits);
    exits.flat_map(|exit| [exit.port, exit.into]).filter_map(|port| fabric.lag_of(port)).filter(
        |&leg| {
            let leg = fabric.lag(leg);
            leg.segment.is_some()
                && leg.ethernet_segment_mode.value == EthernetSegmentMode::SingleActive
        },
    )
}

/// What a walk depends on.
#[derive(Default)]
struct Depends {
    cables: BTreeSet<CableId>,
    switches: BTreeSet<DeviceId>,
}

impl Depends {
    fn of(state: &State, walk: &Walk) -> Self {
        let fabric = state.fabric();
        let mut depends = Self::default();
        let asked =
            walk.resolutions.iter().flat_map(|one| std::iter::once(&one.request).chain(&one.reply));
        for hop in asked.chain(walk.paths()).flat_map(|path| &path.hops) {
            depends.switch(fabric, hop.device);
            for exit in &hop.exits {
                depends.cables.extend(fabric.link(exit.port).map(|(cable, _)| cable));
            }
        }
        for leg in elected_legs(fabric, walk) {
            let legs = fabric.lag(leg).segment.map(|id| &fabric.ethernet_segment(id).legs);
            for &leg in legs.into_iter().flatten() {
                let leg = fabric.lag(leg);
                depends.switches.insert(leg.device);
                let ports = leg.members.iter().map(|member| fabric.member(member).port.value);
                depends.cables.extend(ports.filter_map(|port| fabric.link(port)).map(|(c, _)| c));
            }
        }
        depends.trees(state);
        depends.tellers(state, walk);
        depends.speakers(state);
        depends
    }

    /// Where a spanning tree joins the switches on the way with others, the loss of any of these may turn it:
    /// their bridges, near and far, and what joins them.
    fn trees(&mut self, state: &State) {
        let fabric = state.fabric();
        let trees = state.trees();
        let mut open: Vec<BridgeId> =
            self.switches.iter().filter_map(|&switch| trees.bridge_of(switch)).collect();
        let mut seen: BTreeSet<BridgeId> = BTreeSet::new();
        let mut joined: BTreeSet<BridgePortId> = BTreeSet::new();
        let mut lans = BTreeSet::new();
        while let Some(bridge) = open.pop() {
            if !seen.insert(bridge) {
                continue;
            }
            for &port in trees.joining(bridge) {
                joined.insert(port);
                let first = trees.port(port).lan.is_some_and(|lan| lans.insert(lan));
                let others = first.then(|| trees.neighbours(port)).into_iter().flatten();
                open.extend(others.map(|other| trees.port(other).bridge));
            }
        }
        if joined.is_empty() {
            return;
        }
        for bridge in seen {
            self.switches.extend(&trees.bridge(bridge).devices);
        }
        for port in joined {
            let ports = trees.carrier_ports(fabric, port);
            let cables = ports.into_iter().filter_map(|port| fabric.link(port));
            self.cables.extend(cables.map(|(cable, _)| cable));
        }
    }

    /// A switch on the way, with the other side of its pair and what joins the two, or the links of its
    /// stack.
    fn switch(&mut self, fabric: &Fabric, device: DeviceId) {
        let made = fabric.device(device);
        if made.kind != DeviceKind::Switch || !self.switches.insert(device) {
            return;
        }
        let mut ports: Vec<PortId> = Vec::new();
        if let Some((pair, side)) = made.pair {
            let sides = &fabric.pair(pair).sides;
            self.switches.insert(sides[1 - side].switch.value);
            let links = sides[side].links();
            ports.extend(links.flat_map(|link| {
                fabric.lag(link).members.iter().map(|member| fabric.member(member).port.value)
            }));
            ports.extend(sides[side].peer_port.map(|port| port.value));
        }
        if let Some(stack) = made.stack {
            let members = fabric.stack(stack).members.iter();
            ports.extend(members.flat_map(|member| &member.stack_ports));
        }
        self.cables
            .extend(ports.into_iter().filter_map(|port| fabric.link(port)).map(|(cable, _)| cable));
    }

    /// The VTEPs that tell those on the way where the ends are, and the ways between them: without these the
    /// routes of one are of no use to the other.
    fn tellers(&mut self, state: &State, walk: &Walk) {
        let fabric = state.fabric();
        let ends = [walk.from, walk.to].into_iter().flat_map(|end| match end {
            Terminal::Endpoint(endpoint, _) => state.evpn().attached(endpoint),
            _ => &[],
        });
        let tellers: BTreeSet<DeviceId> =
            ends.map(|&presence| fabric.presence(presence).switch).collect();
        let vtep = |&device: &DeviceId| fabric.vtep_of(device).is_some();
        let on_way: Vec<DeviceId> = self.switches.iter().copied().filter(vtep).collect();
        for &device in &on_way {
            for &teller in tellers.iter().filter(|&&teller| teller != device) {
                self.switches.insert(teller);
                for (from, to) in [(device, teller), (teller, device)] {
                    if let Some(address) = fabric.vtep_of(to) {
                        self.way_between(state, from, address.value);
                    }
                }
            }
        }
    }

    /// The speakers that bring the VTEPs on the way their routes, and the cables on the ways to them.
    fn speakers(&mut self, state: &State) {
        let fabric = state.fabric();
        let on_way: Vec<DeviceId> = self.switches.iter().copied().collect();
        for device in on_way {
            let Some(router) = fabric.router_of(device) else { continue };
            if fabric.overlay_of(device).is_none() {
                continue;
            }
            for session in router.sessions.iter() {
                let peer = fabric.session(session).peer;
                let brings = state.bgp().session(session).carries(Family::Evpn);
                if !brings || self.switches.contains(&peer) {
                    continue;
                }
                self.switches.insert(peer);
                let address = fabric.router_of(peer).and_then(|router| router.loopbacks.first());
                if let Some(address) = address {
                    self.way_between(state, device, address.address());
                }
            }
        }
    }

    /// The cables on all shortest ways from a switch to an address that is off the packet's way, and the switches.
    fn way_between(&mut self, state: &State, from: DeviceId, to: IpAddr) {
        let fabric = state.fabric();
        let Some(start) = fabric.device(from).router else { return };
        let crossed = state.crossed(start, to, &mut Towards::default());
        let cables = crossed.ports.into_iter().filter_map(|port| fabric.link(port));
        self.cables.extend(cables.map(|(cable, _)| cable));
        self.switches
            .extend(crossed.routers.into_iter().map(|router| fabric.router(router).device));
    }
}
