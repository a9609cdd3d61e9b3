use std::fmt::Display;

use felting::Fabric;
use felting::diagnostic::At;
use felting::progress::{Progress, Stage};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, of};

pub(super) const SHEET: Record = Record {
    word: "addresses",
    about: "every address and number of every switch, written or allotted",
    of_switches: false,
    follows: Follows::Writing,
    make: |state, _, progress| sheet(state.fabric(), progress),
};

line! {
    device: "device", Room::Whole;
    what: "what", Room::Whole;
    interface: "interface", Room::Whole;
    value: "value", Room::Whole;
    far: "far end", Room::Whole;
    from: "from", Room::Whole;
}

fn sheet(fabric: &Fabric, progress: &Progress) -> Sheet {
    let mut rows = Vec::new();
    for (_, router) in progress.each(Stage::Rows, fabric.routers()) {
        let name = fabric.device_name(router.device);
        let mut add = |what: &str, interface: String, value: (String, &str), far: String| {
            let line = Line {
                device: Cell::text(name),
                what: Cell::text(what),
                interface: Cell::text(interface),
                value: Cell::text(value.0),
                far: Cell::text(far),
                from: Cell::text(value.1),
            };
            rows.push(line.row(Tone::Plain, vec![Subject::Device(router.device)]));
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
        columns: Line::columns(),
        rows,
    }
}

/// A value, and whether it is written itself or follows from something else.
fn origin<T: Display>(fabric: &Fabric, value: &At<T>) -> (String, &'static str) {
    (value.value.to_string(), if fabric.is_written(value) { "written" } else { "allotted" })
}
