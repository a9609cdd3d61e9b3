use felting::State;
use felting::behavior::Entity;
use felting::progress::{Progress, Stage};

use super::{Cell, Record, Room, Row, Sheet, Tone, column, count, of};

pub(super) const SHEET: Record = Record {
    word: "ethernet-segments",
    about: "every Ethernet segment from each of its leaves",
    of_one: false,
    make: |state, _, progress| sheet(state, progress),
};

fn sheet(state: &State, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let mut rows = Vec::new();
    for (id, segment) in progress.each(Stage::Rows, fabric.ethernet_segments()) {
        for &leg in &segment.legs {
            let (lag, outcome) = (fabric.lag(leg), state.lag(leg));
            let finding = state
                .causes()
                .iter()
                .find(|(_, cause)| {
                    let own = Entity::EthernetSegment(id);
                    cause.entity == own || cause.other == Some(own)
                })
                .map(|(_, cause)| cause.rule)
                .or_else(|| Some(state.causes().get(outcome.cause?).rule));
            let standing = super::lags::standing(lag, outcome);
            let cells = vec![
                Cell::text(segment.id.to_string()),
                Cell::text(fabric.device_name(lag.device)),
                Cell::text(lag.name.as_str()),
                Cell::text(lag.segment_mode.value.word()),
                Cell::text(
                    outcome
                        .system
                        .map(|system| format!("{system}, key {}", fabric.lacp_key(leg)))
                        .unwrap_or_default(),
                ),
                Cell::text(standing),
                super::lags::far_ends(state, lag),
                Cell::text(super::lags::why(state, leg, outcome)),
                Cell::text(finding.unwrap_or_default()),
            ];
            let tone = match (standing, finding) {
                ("down", _) => Tone::Down,
                ("up", None) => Tone::Plain,
                _ => Tone::Impaired,
            };
            rows.push(Row { cells, tone });
        }
    }
    Sheet {
        topic: SHEET.word,
        title: format!(
            "Ethernet segments{}: {}, each from every leaf",
            of(fabric),
            count(fabric.ethernet_segments().len(), "segment")
        ),
        keys: 3,
        columns: vec![
            column("segment", "segment", Room::Whole),
            column("leaf", "leaf", Room::Whole),
            column("lag", "LAG", Room::Whole),
            column("mode", "mode", Room::Whole),
            column("presents", "presents in LACP", Room::Spare),
            column("standing", "it is", Room::Whole),
            column("far_end", "far end", Room::Lines(24)),
            column("why", "why not whole", Room::Lines(44)),
            column("finding", "finding", Room::Whole),
        ],
        rows,
    }
}
