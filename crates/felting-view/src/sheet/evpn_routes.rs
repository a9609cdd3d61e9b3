use felting::behavior::{
    Apart, EvpnRoute, Import, NotImported, NotPassed, Received, RouteKind, RouteOf,
};
use felting::fabric::DeviceId;
use felting::progress::Progress;
use felting::{Fabric, State};

use super::{Cell, Record, Room, Row, Sheet, Tone, column, count};

pub(super) const SHEET: Record = Record {
    word: "evpn-routes",
    about: "the EVPN routes of one VTEP (--of): its own, those of others, what is taken and why not",
    of_one: true,
    make: |state, only, progress| sheet(state, only, progress),
};

fn sheet(state: &State, only: Option<DeviceId>, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let name = only.map(|device| fabric.device_name(device)).unwrap_or_default();
    let own = only.map(|device| state.originated(device)).unwrap_or_default();
    let received = only.map(|device| state.received(device, progress));
    let received = received.unwrap_or_default();
    let taken = received.iter().filter(|one| !one.imports.is_empty()).count();
    let title = format!(
        "EVPN routes of {name}: {} originated, {} of others, {taken} of them taken",
        own.len(),
        count(received.len(), "route"),
    );
    let originated = own.iter().map(|route| Row {
        cells: cells(
            route,
            name,
            route.next_hop.to_string(),
            "its own".to_owned(),
            of(fabric, route),
        ),
        tone: Tone::Plain,
    });
    let others = received.iter().map(|one| {
        let origin = fabric.device_name(one.origin);
        let next_hop = one.next_hop.map(|hop| hop.to_string()).unwrap_or_default();
        Row {
            cells: cells(&one.route, origin, next_hop, by(fabric, one), into(fabric, one)),
            tone: match one.refused {
                // The sides of a pair have each other's hosts over the peer link.
                None | Some(NotImported::Apart(Apart::Own)) => Tone::Plain,
                Some(_) => Tone::Impaired,
            },
        }
    });
    Sheet {
        topic: SHEET.word,
        title,
        keys: 4,
        columns: vec![
            column("origin", "of", Room::Whole),
            column("type", "type", Room::Whole),
            column("says", "says", Room::Lines(46)),
            column("rd", "RD", Room::Spare),
            column("targets", "targets", Room::Lines(20)),
            column("vni", "VNI", Room::Whole),
            column("next_hop", "next hop", Room::Whole),
            column("by", "by", Room::Lines(30)),
            column("into", "into, or why not", Room::Lines(34)),
            column("more", "more", Room::Spare),
        ],
        rows: originated.chain(others).collect(),
    }
}

fn cells(route: &EvpnRoute, origin: &str, next_hop: String, by: String, into: String) -> Vec<Cell> {
    let vnis = route.vni.into_iter().chain(route.routed_vni).map(|vni| vni.to_string());
    let more = [
        route.es_import.map(|mac| format!("ES-Import {mac}")),
        route.router_mac.map(|mac| format!("router MAC {mac}")),
        route.mobility.map(|moves| format!("moved {moves} times")),
        (route.tag != 0 && route.tag != u32::MAX).then(|| format!("tag {}", route.tag)),
    ];
    let targets = route.targets.iter().map(ToString::to_string);
    vec![
        Cell::text(origin),
        Cell::text(format!("{} {}", route.kind.number(), route.kind.name())),
        Cell::text(says(&route.kind)),
        Cell::text(route.rd.map(|rd| rd.to_string()).unwrap_or_default()),
        list(targets),
        list(vnis),
        Cell::text(next_hop),
        Cell::text(by),
        Cell::text(into),
        list(more.into_iter().flatten()),
    ]
}

fn list(texts: impl Iterator<Item = String>) -> Cell {
    let all: Vec<String> = texts.collect();
    if all.is_empty() { Cell::Empty } else { Cell::List(all) }
}

fn says(kind: &RouteKind) -> String {
    match kind {
        RouteKind::EthernetAd { esi, whole: true } => format!("all of {esi}"),
        RouteKind::EthernetAd { esi, .. } | RouteKind::EthernetSegment { esi, .. } => {
            esi.to_string()
        }
        RouteKind::MacIp { mac, ip, esi } => {
            let ip = ip.map(|ip| format!(" {ip}")).unwrap_or_default();
            let esi = esi.map(|esi| format!(" on {esi}")).unwrap_or_default();
            format!("{mac}{ip}{esi}")
        }
        RouteKind::InclusiveMulticast { originator } => format!("copies to {originator}"),
        RouteKind::IpPrefix { prefix } => prefix.to_string(),
        _ => String::new(),
    }
}

/// To what a route of one's own belongs.
fn of(fabric: &Fabric, route: &EvpnRoute) -> String {
    match route.of {
        RouteOf::Presence(presence) => {
            fabric.segment(fabric.presence(presence).segment).name.to_string()
        }
        RouteOf::Vrf(vrf) => format!("VRF {}", fabric.vrf(vrf).name.value),
        RouteOf::EthernetSegment(_) => "the Ethernet segment".to_owned(),
        _ => String::new(),
    }
}

/// The peer of the best path, and how many others bring it too.
fn by(fabric: &Fabric, one: &Received) -> String {
    let good = one.paths.iter().filter(|(_, path)| path.is_ok()).count();
    match one.best {
        Some(session) => {
            let peer = fabric.device_name(fabric.session(session).peer);
            if good > 1 { format!("{peer}, {} more", good - 1) } else { peer.to_owned() }
        }
        None if good > 0 => "another is preferred".to_owned(),
        None => {
            // What a session carries and is dropped says more than that another carries nothing.
            let rank = |why: &NotPassed| match why {
                NotPassed::Family | NotPassed::FromHere => 2,
                NotPassed::PeerLacks | NotPassed::Down(_) => 1,
                _ => 0,
            };
            let all = one.paths.iter().filter_map(|(_, path)| path.as_ref().err());
            let why = all.min_by_key(|why| rank(why));
            why.map_or("no session".to_owned(), |why| why.words(fabric))
        }
    }
}

fn into(fabric: &Fabric, one: &Received) -> String {
    let names = one.imports.iter().map(|import| match import {
        Import::Segment(presence) => {
            fabric.segment(fabric.presence(*presence).segment).name.to_string()
        }
        Import::Vrf(vrf) => format!("VRF {}", fabric.vrf(*vrf).name.value),
        Import::EthernetSegment(_) => "the election".to_owned(),
        _ => String::new(),
    });
    match one.refused {
        Some(why) => format!("no: {}", why.words()),
        None => names.collect::<Vec<_>>().join(", "),
    }
}
