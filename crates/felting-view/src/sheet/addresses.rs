use std::fmt::Display;

use felting::Fabric;
use felting::diagnostic::At;
use felting::fabric::DeviceId;
use felting::progress::{Progress, Stage};

use super::{Cell, Record, Room, Row, Sheet, Tone, column, of};

pub(super) const SHEET: Record = Record {
    word: "addresses",
    about: "every address and number of every switch, written or allotted",
    of_one: false,
    make: |state, only, progress| sheet(state.fabric(), only, progress),
};

fn sheet(fabric: &Fabric, only: Option<DeviceId>, progress: &Progress) -> Sheet {
    let mut rows = Vec::new();
    for (_, router) in progress
        .each(Stage::Rows, fabric.routers())
        .filter(|(_, r)| only.is_none_or(|only| r.device == only))
    {
        let name = fabric.device_name(router.device);
        let mut add = |what: &str, interface: String, value: (String, &str), far: String| {
            rows.push(Row {
                cells: vec![
                    Cell::text(name),
                    Cell::text(what),
                    Cell::text(interface),
                    Cell::text(value.0),
                    Cell::text(far),
                    Cell::text(value.1),
                ],
                tone: Tone::Plain,
            });
        };
        if let Some(asn) = &router.as_number {
            add("AS number", String::new(), origin(fabric, asn), String::new());
        }
        if let Some(id) = &router.router_id {
            add("router id", String::new(), origin(fabric, id), String::new());
        }
        for loopback in &router.loopbacks {
            add("loopback", String::new(), origin(fabric, loopback), String::new());
        }
        if let Some(vtep) = fabric.vtep_of(router.device) {
            add("VTEP", String::new(), origin(fabric, &vtep), String::new());
        }
        for id in router.interfaces.iter() {
            let interface = fabric.interface(id);
            let far = fabric.interface_far(id).map(|far| fabric.interface_label(far));
            let what = if interface.vrf.is_some() { "tenant link" } else { "link" };
            if interface.unnumbered.value {
                let value = ("unnumbered".to_owned(), "");
                add(what, fabric.interface_name(id), value, far.clone().unwrap_or_default());
            }
            for address in &interface.addresses {
                let far = far.clone().unwrap_or_default();
                add(what, fabric.interface_name(id), origin(fabric, address), far);
            }
        }
    }
    Sheet {
        topic: SHEET.word,
        title: format!("Addresses and numbers{}", of(fabric)),
        keys: 3,
        columns: vec![
            column("switch", "switch", Room::Whole),
            column("what", "what", Room::Whole),
            column("interface", "interface", Room::Whole),
            column("value", "value", Room::Whole),
            column("far", "to", Room::Whole),
            column("from", "from", Room::Whole),
        ],
        rows,
    }
}

/// A value, and whether it is written itself or follows from something else.
fn origin<T: Display>(fabric: &Fabric, value: &At<T>) -> (String, &'static str) {
    let text = value.value.to_string();
    let written = fabric.sources().text(value.span).replace('_', "") == text;
    (text, if written { "written" } else { "allotted" })
}
