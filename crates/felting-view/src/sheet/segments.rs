use std::collections::BTreeMap;
use std::net::IpAddr;

use felting::Fabric;
use felting::diagnostic::At;
use felting::fabric::{DeviceId, Segment};
use felting::progress::{Progress, Stage};
use felting::value::IpPrefix;

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, of};

pub(super) const SHEET: Record = Record {
    word: "segments",
    about: "every segment: VLAN, VNI, VRF, subnets, and where it is",
    of_switches: false,
    follows: Follows::Writing,
    make: |state, _, progress| sheet(state.fabric(), progress),
};

line! {
    segment: "segment", Room::Whole;
    vrf: "VRF", Room::Whole;
    vlan: "VLAN", Room::Whole;
    vni: "VNI", Room::Whole;
    subnets: "subnets", Room::Lines(24);
    gateways: "gateway", Room::Lines(24);
    switches: "on", Room::Lines(40);
    differs: "but", Room::Lines(36);
}

fn sheet(fabric: &Fabric, progress: &Progress) -> Sheet {
    let rows = progress.each(Stage::Rows, fabric.segments()).map(|(id, segment)| {
        let differs = deviations(fabric, segment);
        let tone = if differs.is_empty() { Tone::Plain } else { Tone::Impaired };
        let line = Line {
            segment: Cell::text(segment.name.as_str()),
            vrf: Cell::text(
                segment.vrf.map(|vrf| fabric.vrf(vrf.value).name.to_string()).unwrap_or_default(),
            ),
            vlan: Cell::number(segment.vlan.map(|vlan| vlan.get())),
            vni: Cell::number(segment.vni.map(|vni| vni.get())),
            subnets: Cell::list(segment.subnets.iter().map(|subnet| subnet.value.to_string())),
            gateways: Cell::list(segment.gateways.iter().map(|gateway| gateway.value.to_string())),
            switches: Cell::list(switches(fabric, segment)),
            differs: Cell::list(differs),
        };
        line.row(tone, Subject::of_segment(fabric, id))
    });
    Sheet {
        topic: SHEET.word,
        title: format!("Segments{}", of(fabric)),
        keys: 1,
        columns: Line::columns(),
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
