use std::collections::BTreeSet;

use felting::fabric::{VrfId, VrfPresence};
use felting::value::RouteTarget;
use felting::{Fabric, State};

use super::{Cell, Room, Row, Sheet, Tone, column, of};

pub(super) fn sheet(fabric: &Fabric, state: &State) -> Sheet {
    let rows = fabric.vrfs().map(|(id, vrf)| {
        let vnis = texts(&vrf.switches, |at| at.vni.map(|vni| vni.to_string()));
        let targets = |export: bool| -> BTreeSet<RouteTarget> {
            let places = 0..vrf.switches.len();
            let instances = places.filter_map(|place| state.evpn().tenant(id, place));
            instances
                .flat_map(|own| if export { &own.export } else { &own.import })
                .copied()
                .collect()
        };
        let segments = fabric.segments().filter(|(_, s)| s.vrf.is_some_and(|own| own.value == id));
        let outside = fabric.outsides().filter(|(_, outside)| outside.vrf.value == id);
        let differs = vnis.len() > 1;
        let cells = vec![
            Cell::text(vrf.name.as_str()),
            list(vnis),
            list(switches(fabric, &vrf.switches)),
            list(targets(false).iter().map(ToString::to_string)),
            list(targets(true).iter().map(ToString::to_string)),
            list(segments.map(|(_, segment)| segment.name.to_string())),
            list(leaks(fabric, id, true)),
            list(leaks(fabric, id, false)),
            list(outside.map(|(_, outside)| outside.name.to_string())),
        ];
        Row { cells, tone: if differs { Tone::Impaired } else { Tone::Plain } }
    });
    Sheet {
        topic: "vrfs",
        title: format!("VRFs{}", of(fabric)),
        keys: 1,
        columns: vec![
            column("vrf", "VRF", Room::Whole),
            column("vni", "VNI", Room::Whole),
            column("switches", "on", Room::Lines(30)),
            column("imports", "imports", Room::Lines(24)),
            column("exports", "exports", Room::Lines(24)),
            column("segments", "segments", Room::Lines(34)),
            column("leaked_from", "gets from", Room::Lines(20)),
            column("leaked_to", "gives to", Room::Lines(20)),
            column("outside", "leads to", Room::Lines(20)),
        ],
        rows: rows.collect(),
    }
}

fn list(texts: impl IntoIterator<Item = String>) -> Cell {
    let all: Vec<String> = texts.into_iter().collect();
    if all.is_empty() { Cell::Empty } else { Cell::List(all) }
}

fn texts(at: &[VrfPresence], text: impl Fn(&VrfPresence) -> Option<String>) -> BTreeSet<String> {
    at.iter().filter_map(text).collect()
}

/// The switches, the two sides of a pair as one.
fn switches(fabric: &Fabric, at: &[VrfPresence]) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for one in at {
        let pair = fabric.device(one.switch).pair.filter(|&(pair, side)| {
            let other = fabric.pair(pair).sides[1 - side].switch.value;
            at.iter().any(|there| there.switch == other)
        });
        let name = match pair {
            Some((pair, _)) => format!("{} (both)", fabric.pair(pair).name.value),
            None => fabric.device_name(one.switch).to_owned(),
        };
        if !names.contains(&name) {
            names.push(name);
        }
    }
    names
}

/// The VRFs that one gets routes from, or gives them to.
fn leaks(fabric: &Fabric, vrf: VrfId, from: bool) -> BTreeSet<String> {
    let own = fabric.leaks().filter_map(|(_, leak)| match from {
        true => (leak.to.value == vrf).then_some(leak.from.value),
        false => (leak.from.value == vrf).then_some(leak.to.value),
    });
    own.map(|other| fabric.vrf(other).name.to_string()).collect()
}
