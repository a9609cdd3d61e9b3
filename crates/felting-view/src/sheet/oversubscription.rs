use felting::State;
use felting::fabric::{DeviceKind, Load};
use felting::progress::{Progress, Stage};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, of};

pub(super) const SHEET: Record = Record {
    word: "oversubscription",
    about: "the bandwidth of each leaf to hosts and to spines",
    of_switches: false,
    follows: Follows::Losses,
    make: |state, _, progress| sheet(state, progress),
};

line! {
    device: "device", Room::Whole;
    host_ports: "ports down", Room::Whole;
    to_hosts: "to hosts", Room::Whole;
    spine_ports: "ports up", Room::Whole;
    to_spines: "to spines", Room::Whole;
    ratio: "ratio", Room::Whole;
}

fn sheet(state: &State, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let switches = progress
        .each(Stage::Rows, fabric.devices())
        .filter(|(_, device)| device.kind == DeviceKind::Switch);
    let rows = switches.filter_map(|(id, device)| {
        let load = state.load(id);
        // A switch that has no uplinks is no leaf; one that has lost them has nothing left.
        if Load::of(fabric, id).spine_ports == 0 {
            return None;
        }
        let tone = if load.to_hosts > 3 * load.to_spines { Tone::Impaired } else { Tone::Plain };
        let line = Line {
            device: Cell::text(device.name.as_str()),
            host_ports: Cell::Number(load.host_ports as u64),
            to_hosts: Cell::text(gigabits(load.to_hosts)),
            spine_ports: Cell::Number(load.spine_ports as u64),
            to_spines: Cell::text(gigabits(load.to_spines)),
            ratio: Cell::text(load.ratio()),
        };
        Some(line.row(tone, vec![Subject::Device(id)]))
    });
    Sheet {
        topic: SHEET.word,
        title: format!("Bandwidth to hosts and to spines{}", of(fabric)),
        keys: 1,
        columns: Line::columns(),
        rows: rows.collect(),
    }
}

fn gigabits(megabits: u64) -> String {
    match megabits % 1_000 {
        0 => format!("{}G", megabits / 1_000),
        _ => format!("{megabits}M"),
    }
}
