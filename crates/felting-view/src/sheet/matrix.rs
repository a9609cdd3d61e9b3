use std::borrow::Cow;
use std::collections::BTreeMap;

use felting::Fabric;
use felting::fabric::{DeviceId, PairId};
use felting::progress::{Progress, Stage};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, of};

/// A VTEP of the matrix: a switch, or the two sides of a pair.
#[derive(Debug)]
struct Place {
    name: String,
    switches: Vec<DeviceId>,
}

pub(super) const SHEET: Record = Record {
    word: "matrix",
    about: "the segments by VTEP, with their VNIs",
    of_switches: false,
    follows: Follows::Writing,
    make: |state, _, progress| sheet(state.fabric(), progress),
};

fn sheet(fabric: &Fabric, progress: &Progress) -> Sheet {
    let places = places(fabric);
    let of_switch: BTreeMap<DeviceId, usize> = places
        .iter()
        .enumerate()
        .flat_map(|(index, place)| place.switches.iter().map(move |&switch| (switch, index)))
        .collect();
    let rows = progress.each(Stage::Rows, fabric.segments()).map(|(id, segment)| {
        let mut found: Vec<Vec<Option<u32>>> = vec![Vec::new(); places.len()];
        for presence in segment.presences.iter().map(|id| fabric.presence(id)) {
            if let Some(&index) = of_switch.get(&presence.switch) {
                found[index].push(presence.vni.map(|vni| vni.get()));
            }
        }
        let mut odd = false;
        let cells = found.iter().zip(&places).map(|(vnis, place)| {
            let alike = vnis.windows(2).all(|two| two[0] == two[1]);
            let usual = segment.vni.map(|vni| vni.get());
            let here = vnis.iter().any(|vni| *vni != usual);
            odd |= here || !(vnis.is_empty() || (alike && vnis.len() == place.switches.len()));
            match (vnis.first(), alike && vnis.len() == place.switches.len()) {
                (None, _) => Cell::Empty,
                (Some(Some(vni)), true) => Cell::Number(u64::from(*vni)),
                (Some(None), true) => Cell::text("VLAN only"),
                (Some(_), false) if vnis.len() < place.switches.len() => Cell::text("one side"),
                (Some(_), false) => Cell::List(
                    vnis.iter()
                        .map(|vni| vni.map_or("none".to_owned(), |vni| vni.to_string()))
                        .collect(),
                ),
            }
        });
        let named = [
            Cell::text(segment.name.as_str()),
            Cell::text(
                segment.vrf.map(|vrf| fabric.vrf(vrf.value).name.to_string()).unwrap_or_default(),
            ),
        ];
        let cells = named.into_iter().chain(cells).collect();
        let tone = if odd { Tone::Impaired } else { Tone::Plain };
        Row { cells, tone, about: Subject::of_segment(fabric, id) }
    });
    let rows = rows.collect();
    let named = [column("segment", "segment", Room::Whole), column("vrf", "VRF", Room::Whole)];
    let vteps = places.iter().map(|place| Column {
        // Keys are told apart, whatever a switch is called.
        key: Cow::Owned(match place.name.as_str() {
            name @ ("segment" | "vrf") => format!("VTEP {name}"),
            name => name.to_owned(),
        }),
        title: Cow::Owned(place.name.clone()),
        room: Room::Spare,
    });
    Sheet {
        topic: SHEET.word,
        title: format!("Segments by VTEP{}", of(fabric)),
        keys: 1,
        columns: named.into_iter().chain(vteps).collect(),
        rows,
    }
}

/// The VTEPs in the order of the file, each pair as one.
fn places(fabric: &Fabric) -> Vec<Place> {
    let mut places: Vec<Place> = Vec::new();
    let mut switches: Vec<DeviceId> =
        fabric.presences().map(|(_, presence)| presence.switch).collect();
    switches.sort_unstable();
    switches.dedup();
    let mut of_pair: BTreeMap<PairId, usize> = BTreeMap::new();
    for switch in switches {
        let pair = fabric.device(switch).pair.map(|(pair, _)| pair);
        if let Some(&place) = pair.and_then(|pair| of_pair.get(&pair)) {
            places[place].switches.push(switch);
            continue;
        }
        let name = match pair {
            Some(pair) => {
                of_pair.insert(pair, places.len());
                fabric.pair(pair).name.to_string()
            }
            None => fabric.device_name(switch).to_owned(),
        };
        places.push(Place { name, switches: vec![switch] });
    }
    places
}
