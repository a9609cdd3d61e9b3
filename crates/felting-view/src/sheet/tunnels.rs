use felting::State;
use felting::behaviour::{Trouble, mtu};
use felting::fabric::{Ids, Pseudowire, Selection};
use felting::progress::{Progress, Stage};
use felting::value::{Cookie, WireEncapsulation, WireOver, WireSession};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, count, of};

pub(super) const SHEET: Record = Record {
    word: "tunnels",
    about: "every end of a pseudowire: its port, its far end, its ids, up or why not, what gets through",
    of_switches: false,
    follows: Follows::Losses,
    make: |state, only, progress| sheet(state, only, progress),
};

line! {
    wire: "pseudowire", Room::Whole;
    device: "device", Room::Whole;
    port: "port", Room::Whole;
    from: "from", Room::Whole;
    to: "far end", Room::Whole;
    carried: "carried by", Room::Whole;
    sends: "sends", Room::Whole;
    expects: "expects", Room::Whole;
    headers: "headers", Room::Whole;
    mtu: "largest packet", Room::Whole;
    state: "state", Room::Lines(44);
    finding: "finding", Room::Whole;
}

fn sheet(state: &State, only: Option<&Selection>, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let mut rows = Vec::new();
    let mut down = 0;
    for (id, end) in progress.each(Stage::Rows, fabric.pseudowires()) {
        if only.is_some_and(|only| !only.has_device(end.device)) {
            continue;
        }
        let outcome = state.pseudowire(id);
        let (text, tone) = match (outcome.is_up, outcome.sends) {
            (true, _) => ("up".to_owned(), Tone::Plain),
            (false, Ok(_)) => ("sends, and nothing comes back".to_owned(), Tone::Down),
            (false, Err(why)) => (state.wire_words(id, why), Tone::Down),
        };
        down += usize::from(tone == Tone::Down);
        let under = state.room_under(id).filter(|_| !end.fragments).map(|(room, _)| room);
        let own = end.mtu.map(|mtu| mtu.value.get());
        let room = own.into_iter().chain(under).min();
        let finding = match tone {
            Tone::Down => state.behind(Trouble::Pseudowire(id)),
            _ => None,
        };
        let (sends, expects) = ids(end);
        let line = Line {
            wire: Cell::text(end.name.as_str()),
            device: Cell::text(fabric.device_name(end.device)),
            port: Cell::text(fabric.port_name(end.port.value)),
            from: end.source(fabric).map_or(Cell::Empty, |from| Cell::text(from.to_string())),
            to: end.to.map_or(Cell::Empty, |to| Cell::text(to.to_string())),
            carried: Cell::text(carried(end)),
            sends: Cell::text(sends),
            expects: Cell::text(expects),
            headers: Cell::Number(mtu::of_pseudowire(end).into()),
            mtu: room.map_or(Cell::Empty, |room| Cell::Number(room.into())),
            state: Cell::text(text),
            finding: Cell::text(finding.unwrap_or_default()),
        };
        rows.push(line.row(tone, vec![Subject::Device(end.device)]));
    }
    let total = count(rows.len(), "end");
    Sheet {
        topic: SHEET.word,
        title: format!("Pseudowires{}: {total}, {down} down", of(fabric)),
        keys: 3,
        columns: Line::columns(),
        rows,
    }
}

/// How frames cross the network.
fn carried(end: &Pseudowire) -> String {
    let sublayer = if end.sublayer.value { ", sublayer" } else { "" };
    match (end.encapsulation.value, end.over.value) {
        (WireEncapsulation::Vxlan, _) => format!("VXLAN, UDP port {}", end.to_port.value),
        (WireEncapsulation::L2tpv3, WireOver::Ip) => format!("L2TPv3 over IP{sublayer}"),
        (WireEncapsulation::L2tpv3, WireOver::Udp) => {
            format!("L2TPv3, UDP port {}{sublayer}", end.to_port.value)
        }
    }
}

/// The ids on what it sends, and on what it expects.
fn ids(end: &Pseudowire) -> (String, String) {
    match &end.ids {
        Ids::Vni(vni) => (format!("VNI {}", vni.value), format!("VNI {}", vni.value)),
        Ids::Session { local, remote, local_cookie, remote_cookie } => {
            let shown = |id: WireSession, cookie: Option<Cookie>| {
                let cookie = cookie.map(|cookie| format!(", cookie {cookie}")).unwrap_or_default();
                format!("session {id}{cookie}")
            };
            (
                shown(remote.value, remote_cookie.map(|cookie| cookie.value)),
                shown(local.value, local_cookie.map(|cookie| cookie.value)),
            )
        }
        _ => (String::new(), String::new()),
    }
}
