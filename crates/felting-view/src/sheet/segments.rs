use std::collections::BTreeMap;
use std::net::IpAddr;

use felting::Fabric;
use felting::diagnostic::At;
use felting::fabric::{DeviceId, Segment};
use felting::progress::{Progress, Stage};
use felting::value::IpPrefix;

use super::{Cell, Record, Room, Row, Sheet, Tone, column, of};

pub(super) const SHEET: Record = Record {
    word: "segments",
    about: "every segment: VLAN, VNI, VRF, subnets, and where it is",
    of_one: false,
    make: |state, _, progress| sheet(state.fabric(), progress),
};

fn sheet(fabric: &Fabric, progress: &Progress) -> Sheet {
    let rows = progress.each(Stage::Rows, fabric.segments()).map(|(_, segment)| {
        let all =
            |texts: Vec<String>| if texts.is_empty() { Cell::Empty } else { Cell::List(texts) };
        let differs = deviations(fabric, segment);
        let tone = if differs.is_empty() { Tone::Plain } else { Tone::Impaired };
        let cells = vec![
            Cell::text(segment.name.as_str()),
            Cell::text(
                segment.vrf.map(|vrf| fabric.vrf(vrf.value).name.to_string()).unwrap_or_default(),
            ),
            Cell::number(segment.vlan.map(|vlan| vlan.get())),
            Cell::number(segment.vni.map(|vni| vni.get())),
            all(segment.subnets.iter().map(|subnet| subnet.value.to_string()).collect()),
            all(segment.gateways.iter().map(|gateway| gateway.value.to_string()).collect()),
            all(switches(fabric, segment)),
            all(differs),
        ];
        Row { cells, tone }
    });
    Sheet {
        topic: SHEET.word,
        title: format!("Segments{}", of(fabric)),
        keys: 1,
        columns: vec![
            column("segment", "segment", Room::Whole),
            column("vrf", "VRF", Room::Whole),
            column("vlan", "VLAN", Room::Whole),
            column("vni", "VNI", Room::Whole),
            column("subnets", "subnets", Room::Lines(24)),
            column("gateways", "gateway", Room::Lines(24)),
            column("switches", "on", Room::Lines(40)),
            column("differs", "but", Room::Lines(36)),
        ],
        rows: rows.collect(),
    }
}

/// The switches, the two sides of a pair as one.
fn switches(fabric: &Fabric, segment: &Segment) -> Vec<String> {
    let on: Vec<DeviceId> =
        segment.presences.iter().map(|presence| fabric.presence(presence).switch).collect();
    let mut names = Vec::new();
    for (index, &switch) in on.iter().enumerate() {
        let twin =
            |others: &[DeviceId]| others.iter().any(|&o| fabric.pair_of(switch, o).is_some());
        match fabric.device(switch).pair {
            Some(_) if twin(&on[..index]) => {}
            Some((pair, _)) if twin(&on) => {
                names.push(format!("{} (both)", fabric.pair(pair).name.value));
            }
            _ => names.push(fabric.device_name(switch).to_owned()),
        }
    }
    names
}

/// What is different where: "VNI 23301 on kelp-b".
fn deviations(fabric: &Fabric, segment: &Segment) -> Vec<String> {
    let mut found: BTreeMap<String, Vec<&str>> = BTreeMap::new();
    for (id, presence) in segment.presences.iter().map(|id| (id, fabric.presence(id))) {
        let name = fabric.device_name(presence.switch);
        let mut add = |what: String| found.entry(what).or_default().push(name);
        let vlan = presence.vlan.map(|vlan| vlan.value);
        if vlan != segment.vlan.map(|vlan| vlan.value) {
            add(vlan.map_or("no VLAN".to_owned(), |vlan| format!("VLAN {vlan}")));
        }
        let vni = presence.vni.map(|vni| vni.value);
        if vni != segment.vni.map(|vni| vni.value) {
            add(vni.map_or("no VNI".to_owned(), |vni| format!("VNI {vni}")));
        }
        let vrf = presence.vrf.map(|vrf| vrf.value);
        if vrf != segment.vrf.map(|vrf| vrf.value) {
            add(vrf
                .map_or("no VRF".to_owned(), |vrf| format!("VRF {}", fabric.vrf(vrf).name.value)));
        }
        let settings = fabric.settings_at(id);
        let list = |texts: Vec<String>, what: &str| match texts.is_empty() {
            true => format!("no {what}"),
            false => format!("{what} {}", texts.join(" ")),
        };
        let gateways = |all: &[At<IpAddr>]| all.iter().map(|one| one.value.to_string()).collect();
        let (here, usual): (Vec<String>, Vec<String>) =
            (gateways(&settings.gateways), gateways(&segment.gateways));
        if here != usual {
            add(list(here, "gateway"));
        }
        let subnets = |all: &[At<IpPrefix>]| all.iter().map(|one| one.value.to_string()).collect();
        let (here, usual): (Vec<String>, Vec<String>) =
            (subnets(&settings.subnets), subnets(&segment.subnets));
        if here != usual {
            add(list(here, "subnet"));
        }
    }
    found.into_iter().map(|(what, on)| format!("{what} on {}", on.join(" and "))).collect()
}
