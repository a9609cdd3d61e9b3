use felting::Fabric;
use felting::fabric::{DeviceId, DeviceKind, Load};
use felting::progress::{Progress, Stage};

use super::{Cell, Record, Room, Row, Sheet, Tone, column, of};

pub(super) const SHEET: Record = Record {
    word: "oversubscription",
    about: "the bandwidth of each leaf to hosts and to spines",
    of_one: false,
    make: |state, only, progress| sheet(state.fabric(), only, progress),
};

fn sheet(fabric: &Fabric, only: Option<DeviceId>, progress: &Progress) -> Sheet {
    let switches = progress.each(Stage::Rows, fabric.devices()).filter(|(id, device)| {
        device.kind == DeviceKind::Switch && only.is_none_or(|only| only == *id)
    });
    let rows = switches.filter_map(|(id, device)| {
        let load = Load::of(fabric, id);
        if load.spine_ports == 0 {
            return None;
        }
        let tone = if load.to_hosts > 3 * load.to_spines { Tone::Impaired } else { Tone::Plain };
        let cells = vec![
            Cell::text(device.name.as_str()),
            Cell::Number(load.host_ports as u64),
            Cell::text(gigabits(load.to_hosts)),
            Cell::Number(load.spine_ports as u64),
            Cell::text(gigabits(load.to_spines)),
            Cell::text(load.ratio()),
        ];
        Some(Row { cells, tone })
    });
    Sheet {
        topic: SHEET.word,
        title: format!("Bandwidth to hosts and to spines{}", of(fabric)),
        keys: 1,
        columns: vec![
            column("switch", "switch", Room::Whole),
            column("host_ports", "ports down", Room::Whole),
            column("to_hosts", "to hosts", Room::Whole),
            column("spine_ports", "ports up", Room::Whole),
            column("to_spines", "to spines", Room::Whole),
            column("ratio", "ratio", Room::Whole),
        ],
        rows: rows.collect(),
    }
}

fn gigabits(megabits: u64) -> String {
    match megabits % 1_000 {
        0 => format!("{}G", megabits / 1_000),
        _ => format!("{megabits}M"),
    }
}
