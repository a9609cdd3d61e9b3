use felting::behavior::{Aspect, Entity};
use felting::{Fabric, State};

use super::{Cell, Room, Sheet, column, of};

pub(super) fn sheet(fabric: &Fabric, state: &State) -> Sheet {
    let rows = fabric.cables().map(|(id, cable)| {
        let [near, far] = cable.ends.map(|end| end.value);
        let device = |port| fabric.device_name(fabric.port(port).device);
        let speed_clash = state.causes().claimed(Entity::Cable(id), Aspect::Speed).is_some();
        let reused = state.causes().claimed(Entity::Cable(id), Aspect::Link).is_some();
        let speed = fabric.port(near).speed;
        let why = match (speed_clash, reused) {
            (true, _) => format!("no link: {speed} meets {}", fabric.port(far).speed),
            (_, true) => "no link: another cable has the port".to_owned(),
            _ => String::new(),
        };
        vec![
            Cell::text(device(near)),
            Cell::text(fabric.port_name(near)),
            Cell::text(device(far)),
            Cell::text(fabric.port_name(far)),
            Cell::text(speed.to_string()),
            Cell::text(cable.medium.map(|medium| medium.to_string()).unwrap_or_default()),
            Cell::text(cable.length.map(|length| length.to_string()).unwrap_or_default()),
            Cell::text(
                cable.label.as_ref().map(|label| label.value.to_string()).unwrap_or_default(),
            ),
            Cell::text(why),
            {
                let place = fabric.sources().location(cable.span);
                Cell::text(format!("{}:{}", place.file, place.line))
            },
        ]
    });
    Sheet {
        topic: "cables",
        title: format!("Cables{}", of(fabric)),
        columns: vec![
            column("near", "from", Room::Whole),
            column("near_port", "port", Room::Whole),
            column("far", "to", Room::Whole),
            column("far_port", "port", Room::Whole),
            column("speed", "speed", Room::Whole),
            column("medium", "medium", Room::Spare),
            column("length", "length", Room::Spare),
            column("label", "label", Room::Spare),
            column("fault", "fault", Room::Lines(40)),
            column("written", "written at", Room::Spare),
        ],
        rows: rows.collect(),
    }
}
