use felting::behaviour::{Aspect, Entity};
use felting::fabric::PortId;
use felting::progress::{Progress, Stage};
use felting::value::Duplex;
use felting::{Fabric, State};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, of};

pub(super) const SHEET: Record = Record {
    word: "cables",
    about: "every cable, with the ranges spread out",
    of_switches: false,
    follows: Follows::Losses,
    make: |state, _, progress| sheet(state, progress),
};

line! {
    near: "near end", Room::Whole;
    near_port: "port", Room::Whole;
    far: "far end", Room::Whole;
    far_port: "port", Room::Whole;
    speed: "speed", Room::Whole;
    medium: "medium", Room::Spare;
    length: "length", Room::Spare;
    label: "label", Room::Spare;
    reason: "reason", Room::Lines(40);
    near_rack: "from rack", Room::Spare;
    far_rack: "to rack", Room::Spare;
    written: "written at", Room::Spare;
}

fn sheet(state: &State, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let rows = progress.each(Stage::Rows, fabric.cables()).map(|(id, cable)| {
        let [near, far] = cable.ends.map(|end| end.value);
        let device = |port| fabric.device_name(fabric.port(port).device);
        let speed_clash = state.causes().claimed(Entity::Cable(id), Aspect::Speed).is_some();
        let claimed = state.causes().claimed(Entity::Cable(id), Aspect::Link);
        let claimed = claimed.map(|cause| state.causes().get(cause).rule);
        let speed = |port| {
            let port = fabric.port(port);
            let lanes = if port.lanes == 1 { String::new() } else { format!("{}x", port.lanes) };
            let half = if port.duplex == Duplex::Half { " half" } else { "" };
            format!("{lanes}{}{half}", port.speed)
        };
        let linked = state.plugged(near) == Some(far);
        let why = match (speed_clash, claimed) {
            (true, _) => format!("no link: {} meets {}", speed(near), speed(far)),
            (_, Some("cable-port-reused")) => "no link: another cable has the port".to_owned(),
            (_, Some("cable-loop")) => "leads back to its own switch".to_owned(),
            _ if !linked && fabric.port(near).lanes == 1 => "no link: an end is off".to_owned(),
            _ => String::new(),
        };
        let tone = match (why.is_empty(), linked) {
            (true, _) => Tone::Plain,
            (false, true) => Tone::Impaired,
            (false, false) => Tone::Down,
        };
        let line = Line {
            near: Cell::text(device(near)),
            near_port: Cell::text(fabric.port_name(near)),
            far: Cell::text(device(far)),
            far_port: Cell::text(fabric.port_name(far)),
            speed: Cell::text(speed(near)),
            medium: Cell::text(cable.medium.map(|medium| medium.to_string()).unwrap_or_default()),
            length: Cell::text(cable.length.map(|length| length.to_string()).unwrap_or_default()),
            label: Cell::text(
                cable.label.as_ref().map(|label| label.value.to_string()).unwrap_or_default(),
            ),
            reason: Cell::text(why),
            near_rack: Cell::text(rack(fabric, near)),
            far_rack: Cell::text(rack(fabric, far)),
            written: {
                let place = fabric.sources().location(cable.span.0);
                Cell::text(format!("{}:{}", place.file, place.line))
            },
        };
        line.row(
            tone,
            vec![
                Subject::Device(fabric.port(near).device),
                Subject::Device(fabric.port(far).device),
            ],
        )
    });
    let rows: Vec<Row> = rows.collect();
    let title = match rows.iter().filter(|row| row.tone == Tone::Down).count() {
        0 => format!("Cables{}: {}", of(fabric), rows.len()),
        dead => format!("Cables{}: {}, {dead} of them without a link", of(fabric), rows.len()),
    };
    Sheet { topic: SHEET.word, title, keys: 4, columns: Line::columns(), rows }
}

/// The rack of a port's device, and the position in it.
fn rack(fabric: &Fabric, port: PortId) -> String {
    let device = fabric.device(fabric.port(port).device);
    let parts = [&device.rack, &device.position];
    let parts = parts.into_iter().flatten().map(|part| part.value.as_str());
    parts.collect::<Vec<_>>().join(" ")
}
