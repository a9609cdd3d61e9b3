use felting::behaviour::{Route, RouteSource};
use felting::fabric::{DeviceId, RouterId, Selection};
use felting::progress::{Progress, Stage};
use felting::value::{IpPrefix, UnderlayProtocol};
use felting::{Fabric, State};

use rayon::prelude::*;

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, of_switches};

pub(super) const SHEET: Record = Record {
    word: "underlay-routes",
    about: "the underlay's routes of one switch (--of), with all equal next hops",
    of_switches: true,
    follows: Follows::Losses,
    make: |state, only, progress| sheet(state, only, progress),
};

line! {
    device: "device", Room::Whole;
    prefix: "prefix", Room::Whole;
    of: "of", Room::Lines(30);
    from: "from", Room::Whole;
    cost: "cost", Room::Whole;
    next_hops: "next hops", Room::Lines(60);
}

fn sheet(state: &State, only: Option<&Selection>, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let rows = |device: DeviceId| {
        let router = fabric.device(device).router;
        router.map(|router| rows(state, router, progress)).unwrap_or_default()
    };
    let (who, rows) = of_switches(fabric, only, rows);
    let prefixes = if rows.len() == 1 { "prefix" } else { "prefixes" };
    Sheet {
        topic: SHEET.word,
        title: format!("Underlay routes of {who}: {} {prefixes}", rows.len()),
        keys: 2,
        columns: Line::columns(),
        rows,
    }
    .without_the_only_device(only)
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
        let line = Line {
            device: Cell::text(fabric.device_name(device)),
            prefix: Cell::text(prefix.to_string()),
            of: Cell::List(names.collect()),
            from: Cell::text(route.map_or("no-route", |route| source(route))),
            cost: Cell::number(metric),
            next_hops: route.map_or(Cell::Empty, |route| hops(fabric, route)),
        };
        line.row(
            if route.is_some() { Tone::Plain } else { Tone::Down },
            vec![Subject::Device(device)],
        )
    };
    progress.begin(Stage::Rows, prefixes.len());
    prefixes.into_par_iter().map(row).inspect(|_| progress.advance(1)).collect()
}

fn source(route: &Route) -> &'static str {
    match route.source {
        RouteSource::Connected => "own",
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
