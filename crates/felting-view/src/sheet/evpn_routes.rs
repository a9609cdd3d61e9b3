use felting::behaviour::{
    Apart, EvpnRoute, Import, NotImported, NotPassed, Received, RouteKind, RouteOf,
};
use felting::fabric::Selection;
use felting::progress::Progress;
use felting::{Fabric, State};

use super::{
    Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, count, of_switches,
};

pub(super) const SHEET: Record = Record {
    word: "evpn-routes",
    about: "the EVPN routes of one VTEP (--of): its own, those of others, what is taken and why not",
    of_switches: true,
    follows: Follows::Moves,
    make: |state, only, progress| sheet(state, only, progress),
};

line! {
    device: "device", Room::Whole;
    origin: "of", Room::Whole;
    r#type: "type", Room::Whole;
    says: "says", Room::Lines(46);
    rd: "RD", Room::Spare;
    targets: "targets", Room::Lines(20);
    vni: "VNI", Room::Whole;
    next_hop: "next hop", Room::Whole;
    by: "by", Room::Lines(30);
    into: "into, or why not", Room::Lines(34);
    more: "more", Room::Spare;
}

fn sheet(state: &State, only: Option<&Selection>, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let (mut originated, mut others, mut taken) = (0, 0, 0);
    let (who, rows) = of_switches(fabric, only, |device| {
        let name = fabric.device_name(device);
        let (own, received) = (state.originated(device), state.received(device, progress));
        originated += own.len();
        others += received.len();
        taken += received.iter().filter(|one| !one.imports.is_empty()).count();
        let about = || vec![Subject::Device(device)];
        let mut rows: Vec<Row> = Vec::new();
        for route in &own {
            let next_hop = route.next_hop.to_string();
            let line = line(name, route, name, next_hop, "its own".to_owned(), of(fabric, route));
            rows.push(line.row(Tone::Plain, about()));
        }
        for one in &received {
            let origin = fabric.device_name(one.origin);
            let next_hop = one.next_hop.map(|hop| hop.to_string()).unwrap_or_default();
            let (by, into) = (by(fabric, one), into(fabric, one));
            let line = line(name, &one.route, origin, next_hop, by, into);
            let tone = match one.refused {
                // The sides of a pair have each other's hosts over the peer link.
                None | Some(NotImported::Apart(Apart::Own)) => Tone::Plain,
                Some(_) => Tone::Impaired,
            };
            rows.push(line.row(tone, about()));
        }
        rows
    });
    let title = format!(
        "EVPN routes of {who}: {originated} originated, {} of others, {taken} of them taken",
        count(others, "route"),
    );
    Sheet { topic: SHEET.word, title, keys: 5, columns: Line::columns(), rows }
        .without_the_only_device(only)
}

fn line(
    device: &str,
    route: &EvpnRoute,
    origin: &str,
    next_hop: String,
    by: String,
    into: String,
) -> Line {
    let vnis = route.vni.into_iter().chain(route.routed_vni).map(|vni| vni.to_string());
    let more = [
        route.es_import.map(|mac| format!("ES-Import {mac}")),
        route.router_mac.map(|mac| format!("router MAC {mac}")),
        route.mobility.map(|moves| format!("moved {moves} times")),
        (route.tag != 0 && route.tag != u32::MAX).then(|| format!("tag {}", route.tag)),
    ];
    let targets = route.targets.iter().map(ToString::to_string);
    Line {
        device: Cell::text(device),
        origin: Cell::text(origin),
        r#type: Cell::text(format!("{} {}", route.kind.number(), route.kind.name())),
        says: Cell::text(says(&route.kind)),
        rd: Cell::text(route.rd.map(|rd| rd.to_string()).unwrap_or_default()),
        targets: Cell::list(targets),
        vni: Cell::list(vnis),
        next_hop: Cell::text(next_hop),
        by: Cell::text(by),
        into: Cell::text(into),
        more: Cell::list(more.into_iter().flatten()),
    }
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
