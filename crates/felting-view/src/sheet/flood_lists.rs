use felting::State;
use felting::fabric::{DeviceId, PresenceId};
use felting::progress::{Progress, Stage};
use felting::value::Replication;

use super::{Cell, Record, Room, Row, Sheet, Tone, column, of};

pub(super) const SHEET: Record = Record {
    word: "flood-lists",
    about: "to whom each VTEP floods frames of each segment",
    of_one: false,
    make: |state, only, progress| sheet(state, only, progress),
};

fn sheet(state: &State, only: Option<DeviceId>, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let mut rows = Vec::new();
    for (_, segment) in progress.each(Stage::Rows, fabric.segments()) {
        for presence in segment.presences.iter() {
            let at = fabric.presence(presence);
            if only.is_some_and(|only| only != at.switch) {
                continue;
            }
            let Some(list) = state.floods(presence) else { continue };
            let to: Vec<String> = match (list.replication, list.group) {
                (Replication::Group, Some(group)) => vec![format!("the group {group}")],
                _ => list.targets.iter().map(|target| target.address.to_string()).collect(),
            };
            let not = left_out(state, presence, list.replication);
            let tone = match (to.is_empty(), not.is_empty()) {
                (_, true) => Tone::Plain,
                (true, false) => Tone::Down,
                (false, false) => Tone::Impaired,
            };
            let cell =
                |texts: Vec<String>| if texts.is_empty() { Cell::Empty } else { Cell::List(texts) };
            rows.push(Row {
                cells: vec![
                    Cell::text(segment.name.as_str()),
                    Cell::text(fabric.device_name(at.switch)),
                    Cell::number(at.vni.map(|vni| vni.get())),
                    Cell::text(list.replication.word()),
                    cell(to),
                    cell(not),
                ],
                tone,
            });
        }
    }
    Sheet {
        topic: SHEET.word,
        title: format!("Flood lists{}", of(fabric)),
        keys: 2,
        columns: vec![
            column("segment", "segment", Room::Whole),
            column("switch", "from", Room::Whole),
            column("vni", "VNI", Room::Whole),
            column("replication", "how", Room::Whole),
            column("to", "to", Room::Lines(46)),
            column("not", "not to, and why", Room::Lines(60)),
        ],
        rows,
    }
}

/// The other VTEPs of the segment that get no copies, with the reason.
fn left_out(state: &State, presence: PresenceId, how: Replication) -> Vec<String> {
    let fabric = state.fabric();
    if how != Replication::HeadEnd {
        return Vec::new();
    }
    let at = fabric.presence(presence);
    let others = fabric.segment(at.segment).presences.iter().filter(|&other| {
        other != presence && fabric.pair_of(fabric.presence(other).switch, at.switch).is_none()
    });
    // Those with one reason are said at once.
    let mut reasons: Vec<(&'static str, Vec<&str>)> = Vec::new();
    for other in others {
        let Err(why) = state.tunnels(presence, other) else { continue };
        let (why, name) = (why.words(), fabric.device_name(fabric.presence(other).switch));
        match reasons.iter_mut().find(|(known, _)| *known == why) {
            Some((_, names)) => names.push(name),
            None => reasons.push((why, vec![name])),
        }
    }
    reasons.into_iter().map(|(why, names)| format!("{}: {why}", names.join(" and "))).collect()
}
