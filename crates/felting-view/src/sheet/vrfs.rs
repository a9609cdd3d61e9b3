use std::collections::BTreeSet;

use felting::fabric::{DeviceId, PairId, VrfPresence};
use felting::id::Id as _;
use felting::progress::{Progress, Stage};
use felting::value::RouteTarget;
use felting::{Fabric, State};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, of};

pub(super) const SHEET: Record = Record {
    word: "vrfs",
    about: "every VRF: VNI, targets, segments, leaks, the way out",
    of_switches: false,
    follows: Follows::Writing,
    make: |state, _, progress| sheet(state, progress),
};

line! {
    vrf: "VRF", Room::Whole;
    vni: "VNI", Room::Whole;
    switches: "on", Room::Lines(30);
    imports: "imports", Room::Lines(24);
    exports: "exports", Room::Lines(24);
    segments: "segments", Room::Lines(34);
    leaked_from: "gets from", Room::Lines(20);
    leaked_to: "gives to", Room::Lines(20);
    outside: "leads to", Room::Lines(20);
}

fn sheet(state: &State, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let nothing: Vec<Vec<&str>> = vec![Vec::new(); fabric.vrfs().len()];
    let [mut segments_of, mut gets, mut gives, mut outside_of] =
        std::array::from_fn(|_| nothing.clone());
    for (_, segment) in fabric.segments() {
        if let Some(vrf) = segment.vrf {
            segments_of[vrf.value.index()].push(segment.name.as_str());
        }
    }
    for (_, leak) in fabric.leaks() {
        let (from, to) = (leak.from.value, leak.to.value);
        gets[to.index()].push(fabric.vrf(from).name.as_str());
        gives[from.index()].push(fabric.vrf(to).name.as_str());
    }
    for (_, outside) in fabric.outsides() {
        outside_of[outside.vrf.value.index()].push(outside.name.as_str());
    }
    let rows = progress.each(Stage::Rows, fabric.vrfs()).map(|(id, vrf)| {
        let vnis = texts(&vrf.switches, |at| at.vni.map(|vni| vni.to_string()));
        let targets = |export: bool| -> BTreeSet<RouteTarget> {
            let places = 0..vrf.switches.len();
            let instances = places.filter_map(|place| state.evpn().tenant(id, place));
            instances
                .flat_map(|own| if export { &own.export } else { &own.import })
                .copied()
                .collect()
        };
        let segments = segments_of[id.index()].iter();
        let differs = vnis.len() > 1;
        let switches_of = vrf.switches.iter().map(|at| Subject::Device(at.switch));
        let about = std::iter::once(Subject::Vrf(id)).chain(switches_of).collect();
        let line = Line {
            vrf: Cell::text(vrf.name.as_str()),
            vni: Cell::list(vnis),
            switches: Cell::list(switches(fabric, &vrf.switches)),
            imports: Cell::list(targets(false).iter().map(ToString::to_string)),
            exports: Cell::list(targets(true).iter().map(ToString::to_string)),
            segments: Cell::list(segments.map(ToString::to_string)),
            leaked_from: Cell::list(in_order(&gets[id.index()])),
            leaked_to: Cell::list(in_order(&gives[id.index()])),
            outside: Cell::list(outside_of[id.index()].iter().map(ToString::to_string)),
        };
        line.row(if differs { Tone::Impaired } else { Tone::Plain }, about)
    });
    Sheet {
        topic: SHEET.word,
        title: format!("VRFs{}", of(fabric)),
        keys: 1,
        columns: Line::columns(),
        rows: rows.collect(),
    }
}

fn texts(at: &[VrfPresence], text: impl Fn(&VrfPresence) -> Option<String>) -> BTreeSet<String> {
    at.iter().filter_map(text).collect()
}

/// The switches, the two sides of a pair as one.
fn switches(fabric: &Fabric, at: &[VrfPresence]) -> Vec<String> {
    let all: BTreeSet<DeviceId> = at.iter().map(|one| one.switch).collect();
    let mut told: BTreeSet<PairId> = BTreeSet::new();
    let names = at.iter().filter_map(|one| {
        let pair = fabric
            .device(one.switch)
            .pair
            .filter(|&(pair, side)| all.contains(&fabric.pair(pair).sides[1 - side].switch.value));
        match pair {
            Some((pair, _)) if told.insert(pair) => {
                Some(format!("{} (both)", fabric.pair(pair).name.value))
            }
            Some(_) => None,
            None => Some(fabric.device_name(one.switch).to_owned()),
        }
    });
    names.collect()
}

/// Names in their order, each once.
fn in_order(names: &[&str]) -> BTreeSet<String> {
    names.iter().map(ToString::to_string).collect()
}
