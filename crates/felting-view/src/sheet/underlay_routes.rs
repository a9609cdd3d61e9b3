use felting::behavior::{Route, RouteSource};
use felting::fabric::{DeviceId, RouterId};
use felting::progress::{Progress, Stage};
use felting::value::{IpPrefix, UnderlayProtocol};
use felting::{Fabric, State};

use rayon::prelude::*;

use super::{Cell, Record, Room, Row, Sheet, Tone, column, count};

pub(super) const SHEET: Record = Record {
    word: "underlay-routes",
    about: "the underlay's routes of one switch (--of), with all equal next hops",
    of_one: true,
    make: |state, only, progress| sheet(state, only, progress),
};

fn sheet(state: &State, only: Option<DeviceId>, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let router = only.and_then(|device| fabric.device(device).router);
    let rows: Vec<Row> = router.map(|router| rows(state, router, progress)).unwrap_or_default();
    let name = only.map(|device| fabric.device_name(device)).unwrap_or_default();
    Sheet {
        topic: SHEET.word,
        title: format!(
            "Underlay routes of {name}: {}",
            count(rows.len(), "prefix").replace("prefixs", "prefixes")
        ),
        keys: 1,
        columns: vec![
            column("prefix", "prefix", Room::Whole),
            column("of", "of", Room::Lines(30)),
            column("from", "from", Room::Whole),
            column("metric", "metric", Room::Whole),
            column("next_hops", "next hops", Room::Lines(60)),
        ],
        rows,
    }
}

fn rows(state: &State, router: RouterId, progress: &Progress) -> Vec<Row> {
    let fabric = state.fabric();
    let device = fabric.router(router).device;
    let written =
        fabric.static_routes().iter().filter(|route| route.device == device && route.vrf.is_none());
    let mut prefixes: Vec<IpPrefix> = state
        .underlay()
        .prefixes()
        .into_iter()
        .chain(written.map(|route| route.to.value))
        .collect();
    prefixes.sort_unstable();
    prefixes.dedup();
    let row = |prefix: IpPrefix| {
        let toward = state.toward(prefix);
        let route = toward.routes[router].as_ref();
        let origins = state.underlay().advertisers(&prefix);
        let names = origins
            .iter()
            .map(|&origin| fabric.device_name(fabric.router(origin).device).to_owned());
        let metric =
            route.filter(|route| route.source != RouteSource::Connected).map(|route| route.metric);
        Row {
            cells: vec![
                Cell::text(prefix.to_string()),
                Cell::List(names.collect()),
                Cell::text(route.map_or("no route", |route| source(route))),
                Cell::number(metric),
                route.map_or(Cell::Empty, |route| hops(fabric, route)),
            ],
            tone: if route.is_some() { Tone::Plain } else { Tone::Down },
        }
    };
    progress.begin(Stage::Rows, prefixes.len());
    prefixes.into_par_iter().map(row).inspect(|_| progress.advance(1)).collect()
}

fn source(route: &Route) -> &'static str {
    match route.source {
        RouteSource::Connected => "its own",
        RouteSource::Static => "written",
        RouteSource::Learned(UnderlayProtocol::Ospf) => "OSPF",
        RouteSource::Learned(UnderlayProtocol::Isis) => "IS-IS",
        RouteSource::Learned(UnderlayProtocol::Bgp) => "BGP",
        _ => "",
    }
}

fn hops(fabric: &Fabric, route: &Route) -> Cell {
    let hops = route.hops.iter().map(|hop| {
        let name = fabric.device_name(fabric.router(hop.to).device);
        format!("{name} by {}", fabric.interface_name(hop.interface))
    });
    match route.hops.is_empty() {
        true => Cell::Empty,
        false => Cell::List(hops.collect()),
    }
}
