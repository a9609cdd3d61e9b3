use felting::State;
use felting::behaviour::Entity;
use felting::progress::{Progress, Stage};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, count, of};

pub(super) const SHEET: Record = Record {
    word: "ethernet-segments",
    about: "every Ethernet segment from each of its leaves",
    of_switches: false,
    follows: Follows::Losses,
    make: |state, _, progress| sheet(state, progress),
};

line! {
    ethernet_segment: "Ethernet segment", Room::Whole;
    device: "device", Room::Whole;
    lag: "LAG", Room::Whole;
    mode: "mode", Room::Whole;
    presents: "presents in LACP", Room::Spare;
    state: "state", Room::Whole;
    far: "far end", Room::Lines(24);
    reason: "reason", Room::Lines(44);
    finding: "finding", Room::Whole;
}

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
            let is = super::lags::state_of(lag, outcome);
            let line = Line {
                ethernet_segment: Cell::text(segment.id.to_string()),
                device: Cell::text(fabric.device_name(lag.device)),
                lag: Cell::text(lag.name.as_str()),
                mode: Cell::text(lag.ethernet_segment_mode.value.word()),
                presents: Cell::text(
                    outcome
                        .system
                        .map(|system| format!("{system}, key {}", fabric.lacp_key(leg)))
                        .unwrap_or_default(),
                ),
                state: Cell::text(is),
                far: super::lags::far_ends(state, lag),
                reason: Cell::text(super::lags::why(state, leg, outcome)),
                finding: Cell::text(finding.unwrap_or_default()),
            };
            let tone = match (is, finding) {
                ("down", _) => Tone::Down,
                ("up", None) => Tone::Plain,
                _ => Tone::Impaired,
            };
            rows.push(line.row(tone, vec![Subject::Device(lag.device)]));
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
        columns: Line::columns(),
        rows,
    }
}
