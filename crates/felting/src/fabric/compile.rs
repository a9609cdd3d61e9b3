//! From statements to the compiled fabric, in the order in which things refer to each other:
//! hardware, devices, cables, port settings, LAGs, pairs, pools, VRFs, routers, segments, hosts'
//! networks.

mod cabling;
mod devices;
mod endpoints;
mod ethernet_segments;
mod lags;
mod pairs;
mod pools;
mod reaches;
mod routers;
mod sessions;
mod stacks;
mod tenants;
mod trees;

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::layout::report_range;
use super::names::Names;
use super::{Accept, Arenas, DeviceId, DeviceKind, PortId};
use crate::diagnostic::{At, Sources, Span};
use crate::id::IdVec;
use crate::progress::{Progress, Stage};
use crate::source::{
    Deviation, Document, FaultKind, Faults, Keys, Layers, Many, Pattern, Statement, expand,
};

/// The most ports that a fabric may have, so that a slip of the finger cannot fill the memory.
const MOST_PORTS: usize = 10_000_000;

/// The most things of any other kind, for the same reason.
const MOST_THINGS: usize = 2_000_000;

/// The longer steps of [`compile`], for who watches.
const STEPS: usize = 9;

pub(crate) fn compile(
    document: &Document,
    sources: Sources,
    mut faults: Faults,
    rules: &[&str],
    progress: &Progress,
) -> Arenas {
    progress.begin(Stage::Compiling, STEPS);
    let mut fabric = Arenas {
        name: document.name.as_ref().map(|name| name.value.clone()).unwrap_or_default(),
        sources,
        ..Arenas::default()
    };
    let faults_in = &mut faults;
    let levels = document.severities.iter().filter(|(name, _)| is_rule(name, rules, faults_in));
    fabric.severities = levels.map(|(rule, level)| (rule.value.clone(), *level)).collect();
    let kinds = devices::hardware(document, &mut fabric, faults_in);
    let hosts = devices::devices(document, &kinds, &mut fabric, faults_in);
    progress.advance(1);
    cabling::cables(document, &mut fabric, faults_in);
    progress.advance(1);

    let (by_name, devices) =
        (std::mem::take(&mut fabric.device_names), std::mem::take(&mut fabric.devices));
    let names = Names::new(&by_name, &devices);
    // Port lookups go by the devices, which the names borrow while LAGs are made.
    let mut made = Made {
        devices: &devices,
        names: &names,
        fabric: &mut fabric,
        faults: faults_in,
        last_key: FxHashMap::default(),
        spread: 0,
    };
    made.repeaters(document);
    made.port_settings(document);
    made.lags(document);
    progress.advance(1);
    made.bonds(&hosts);
    progress.advance(1);
    made.distinct_keys();
    let sides = made.pairs(document);
    progress.advance(1);
    let trees = made.trees(document);
    made.management(document);
    made.pools(document);
    made.policies(document);
    made.sites(document);
    let vrfs = made.vrfs(document);
    let routers = made.routers(document, &sides, &vrfs);
    progress.advance(1);
    made.segments(document, &vrfs);
    progress.advance(1);
    made.subnets();
    made.evis(document);
    made.static_routes(document, &vrfs);
    made.outsides(document, &vrfs);
    made.networks(&hosts);
    progress.advance(1);
    made.endpoints(document);
    progress.advance(1);
    made.scopes(document);
    drop(names);
    fabric.device_names = by_name;
    fabric.devices = devices;
    for (device, side) in sides.of {
        fabric.devices[device].pair = Some(side);
    }
    for (device, router) in routers {
        fabric.devices[device].router = Some(router);
    }
    for (device, settings) in trees {
        fabric.devices[device].tree = Some(fabric.trees.push(settings));
    }
    ethernet_segments::join(&mut fabric);
    pairs::groups(&mut fabric, &mut faults, &sides.unmade);
    endpoints::expectations(document, &vrfs, &mut fabric, &mut faults);
    accepts(document, &mut fabric, rules, &mut faults);
    fabric.faults = faults.finish();
    fabric
}

/// What the later steps need: the devices are settled, the rest grows.
struct Made<'a> {
    devices: &'a IdVec<DeviceId, super::Device>,
    names: &'a Names<'a>,
    fabric: &'a mut Arenas,
    faults: &'a mut Faults,
    /// The last LACP key given to a LAG of each device.
    last_key: FxHashMap<DeviceId, u16>,
    /// How many names ranges have made so far.
    spread: usize,
}

impl Made<'_> {
    fn switches(&mut self, on: &[At<SmolStr>]) -> Vec<DeviceId> {
        self.names.select(on, DeviceKind::Switch, self.faults)
    }

    fn find_port(&self, device: DeviceId, name: &str) -> Option<PortId> {
        let device = &self.devices[device];
        device.ports.get(self.fabric.layouts[device.layout].find(name)?)
    }

    /// A port by name, or a fault with the nearest name on the device.
    fn port(&mut self, device: DeviceId, name: &At<SmolStr>) -> Option<At<PortId>> {
        let found = self.find_port(device, &name.value);
        if found.is_none() {
            let made = &self.devices[device];
            unknown_port(self.fabric, made, name, self.faults);
        }
        found.map(|port| At::new(port, name.span))
    }

    /// The names that a statement's ranges make, each with the place of its range.
    fn spread(&mut self, ranges: Option<&At<Many<SmolStr>>>) -> Vec<At<SmolStr>> {
        let Some(ranges) = ranges else { return Vec::new() };
        // The ports of one statement are spread out for each of its switches.
        if self.has_spread_too_much() {
            let what = format!("ranges name over {MOST_THINGS} ports for LAGs and interfaces");
            let remedy = "check the ranges";
            let kind = FaultKind::RangeTooLarge;
            self.faults.add(kind, ranges.span, what, "too many from here on", remedy);
            return Vec::new();
        }
        let names = spread(&ranges.value.0, self.faults);
        self.spread += names.len();
        names
    }

    /// Whether ranges have made so many names that no more are made.
    fn has_spread_too_much(&self) -> bool {
        self.spread > MOST_THINGS
    }

    /// For each device of a statement, the deviation that holds for it.
    fn deviations<'s, K: Keys>(
        &mut self,
        statement: &'s Statement<K>,
        devices: &[DeviceId],
    ) -> FxHashMap<DeviceId, &'s Deviation<K>> {
        let name = |id: DeviceId| self.devices[id].name.value.clone();
        let names: Vec<_> = if statement.differs.is_empty() {
            Vec::new()
        } else {
            devices.iter().map(|&id| name(id)).collect()
        };
        let by_place = deviations(statement, &names, self.faults);
        by_place.into_iter().map(|(place, deviation)| (devices[place], deviation)).collect()
    }
}

fn unknown_port(fabric: &Arenas, device: &super::Device, name: &At<SmolStr>, faults: &mut Faults) {
    if !faults.keeps(name.span, FaultKind::UnknownName) {
        return;
    }
    if stacks::missing_member(fabric, device, name, faults) {
        return;
    }
    let layout = &fabric.layouts[device.layout];
    let letters = |name: &str| name.trim_end_matches(|c: char| c.is_ascii_digit()).len();
    let stem = &name.value[..letters(&name.value)];
    let mut alike =
        layout.ports.iter().filter(|p| p.name.starts_with(stem) && letters(&p.name) == stem.len());
    let remedy = match (alike.next(), alike.next_back()) {
        // A number beyond the ports is not a misspelling of some other port's name.
        (Some(first), Some(last)) => {
            format!("its ports of that name are {} to {}", first.name, last.name)
        }
        _ => {
            match faults.nearest(&name.value, layout.ports.iter().map(|port| port.name.as_str())) {
                Some(nearest) => format!("did you mean {nearest}?"),
                None if layout.ports.is_empty() => format!("give {} its ports", device.name.value),
                None => format!("add the port to {}, or correct the name", device.name.value),
            }
        }
    };
    faults
        .add(
            FaultKind::UnknownName,
            name.span,
            format!("{} has no port {}", device.name.value, name.value),
            "no such port",
            remedy,
        )
        .related(device.name.span, format!("{} is written here", device.name.value));
}

/// Spreads out a list of ranges of names.
fn spread(ranges: &[At<SmolStr>], faults: &mut Faults) -> Vec<At<SmolStr>> {
    let mut names = Vec::new();
    for range in ranges {
        match expand(&range.value) {
            Ok(made) if names.is_empty() && ranges.len() == 1 => {
                return made.into_iter().map(|name| At::new(name, range.span)).collect();
            }
            Ok(made) => names.extend(made.into_iter().map(|name| At::new(name, range.span))),
            Err(fault) => report_range(faults, range, 0, &range.value, &fault),
        }
    }
    names
}

/// The deviation that holds for each of a statement's things, by the thing's place in `names`.
fn deviations<'s, K: Keys>(
    statement: &'s Statement<K>,
    names: &[SmolStr],
    faults: &mut Faults,
) -> FxHashMap<usize, &'s Deviation<K>> {
    let mut found: FxHashMap<usize, &Deviation<K>> = FxHashMap::default();
    for deviation in &statement.differs {
        for text in &deviation.on.value.0 {
            let pattern = match Pattern::parse(&text.value) {
                Ok(pattern) => pattern,
                Err(fault) => {
                    report_range(faults, text, 0, &text.value, &fault);
                    continue;
                }
            };
            let mut matched = false;
            for (place, name) in names.iter().enumerate().filter(|(_, name)| pattern.matches(name))
            {
                matched = true;
                let earlier = found.insert(place, deviation);
                if let Some(earlier) = earlier.filter(|earlier| !std::ptr::eq(*earlier, deviation))
                {
                    faults
                        .add(
                            FaultKind::DiffersTwice,
                            text.span,
                            format!("two deviations of this {} match {name}", K::TABLE),
                            format!("matches {name} again"),
                            "let each switch be matched by one deviation",
                        )
                        .related(earlier.on.span, format!("matches {name} first"));
                }
            }
            if !matched {
                let remedy = match faults.nearest(&text.value, names.iter().map(SmolStr::as_str)) {
                    Some(nearest) => format!("did you mean {nearest}?"),
                    None => {
                        format!("name one that this {} is on, or take the deviation out", K::TABLE)
                    }
                };
                faults.add(
                    FaultKind::MatchesNothing,
                    text.span,
                    format!(
                        "the deviation for {:?} matches nothing of this {}",
                        text.value,
                        K::TABLE
                    ),
                    format!("expected one of those that the {} holds for", K::TABLE),
                    remedy,
                );
            }
        }
    }
    found
}

/// Things of one kind by their name: a statement of the same layer that makes one again is a
/// fault, one of an overlay document covers the keys it sets.
struct Things<'s, N, K> {
    order: Vec<Thing<'s, N, K>>,
    places: FxHashMap<N, usize>,
}

/// One thing and the layers of keys that hold for it.
struct Thing<'s, N, K> {
    name: N,
    /// The place of the name in the statement that made it.
    span: Span,
    layer: usize,
    layers: Layers<'s, K>,
}

impl<'s, N: Clone + Eq + std::hash::Hash, K: Keys> Things<'s, N, K> {
    fn new() -> Self {
        Self { order: Vec::new(), places: FxHashMap::default() }
    }

    /// Adds what one statement says of one thing; `shown` names it in a fault.
    fn add(
        &mut self,
        name: N,
        at: Span,
        statement: &'s Statement<K>,
        deviation: Option<&'s Deviation<K>>,
        faults: &mut Faults,
        shown: impl Fn() -> String,
    ) {
        let layers = Layers::of(statement, deviation);
        if let Some(&place) = self.places.get(&name) {
            let known = &mut self.order[place];
            if statement.layer > known.layer {
                known.layer = statement.layer;
                known.layers.cover(&layers);
                return;
            }
            faults
                .add(
                    FaultKind::NameTwice,
                    at,
                    format!("{} is written twice", shown()),
                    "written again",
                    "write it once, and what is different on some switches in `differs`",
                )
                .related(known.span, "written first");
            return;
        }
        self.places.insert(name.clone(), self.order.len());
        self.order.push(Thing { name, span: at, layer: statement.layer, layers });
    }
}

/// Refuses what would make more than [`MOST_THINGS`] things.
fn too_many(count: usize, at: Span, what: &str, faults: &mut Faults) -> bool {
    if count <= MOST_THINGS {
        return false;
    }
    faults.add(
        FaultKind::RangeTooLarge,
        at,
        format!("the fabric would have over {MOST_THINGS} {what}"),
        "too many from here on",
        "check the ranges",
    );
    true
}

fn accepts(document: &Document, fabric: &mut Arenas, rules: &[&str], faults: &mut Faults) {
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
fn is_rule(name: &At<SmolStr>, rules: &[&str], faults: &mut Faults) -> bool {
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

/// A value as it is written, or its default, which stands where the statement does.
fn at<T: Copy>(written: Option<&At<T>>, default: T, span: Span) -> At<T> {
    written.copied().unwrap_or(At::new(default, span))
}
