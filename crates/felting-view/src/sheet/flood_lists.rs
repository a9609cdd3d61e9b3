use felting::State;
use felting::fabric::PresenceId;
use felting::progress::{Progress, Stage};
use felting::value::Replication;

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, of};

pub(super) const SHEET: Record = Record {
    word: "flood-lists",
    about: "to whom each VTEP floods frames of each segment",
    of_switches: false,
    follows: Follows::Losses,
    make: |state, _, progress| sheet(state, progress),
};

line! {
    segment: "segment", Room::Whole;
    device: "device", Room::Whole;
    vni: "VNI", Room::Whole;
    replication: "replication", Room::Whole;
    to: "to", Room::Lines(46);
    not: "not to, and why", Room::Lines(60);
}

fn sheet(state: &State, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let mut rows = Vec::new();
    for (id, segment) in progress.each(Stage::Rows, fabric.segments()) {
        for presence in segment.presences.iter() {
            let at = fabric.presence(presence);
            let Some(list) = state.floods(presence) else { continue };
            let to: Vec<String> = match (list.replication, list.group) {
                (Replication::Multicast, Some(group)) => vec![format!("the group {group}")],
                _ => list.targets.iter().map(|target| target.address.to_string()).collect(),
            };
            let not = left_out(state, presence, list.replication);
            let tone = match (to.is_empty(), not.is_empty()) {
                (_, true) => Tone::Plain,
                (true, false) => Tone::Down,
                (false, false) => Tone::Impaired,
            };
            let mut about = vec![Subject::Segment(id), Subject::Device(at.switch)];
            about.extend(at.vrf.map(|vrf| Subject::Vrf(vrf.value)));
            let line = Line {
                segment: Cell::text(segment.name.as_str()),
                device: Cell::text(fabric.device_name(at.switch)),
                vni: Cell::number(at.vni.map(|vni| vni.get())),
                replication: Cell::text(list.replication.word()),
                to: Cell::list(to),
                not: Cell::list(not),
            };
            rows.push(line.row(tone, about));
        }
    }
    Sheet {
        topic: SHEET.word,
        title: format!("Flood lists{}", of(fabric)),
        keys: 2,
        columns: Line::columns(),
        rows,
    }
}

/// The other VTEPs of the segment that get no copies, with the reason.
fn left_out(state: &State, presence: PresenceId, how: Replication) -> Vec<String> {
    let fabric = state.fabric();
    if how != Replication::Ingress {
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
