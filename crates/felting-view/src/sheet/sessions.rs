use felting::behaviour::Trouble;
use felting::fabric::{DeviceId, Selection, Session, SessionId};
use felting::progress::{Progress, Stage};
use felting::value::{Family, SessionOver};
use felting::{Fabric, State};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, count, of};

pub(super) const SHEET: Record = Record {
    word: "sessions",
    about: "every BGP session: is it up, what it carries, who reflects",
    of_switches: false,
    follows: Follows::Losses,
    make: |state, only, progress| sheet(state, only, progress),
};

line! {
    device: "device", Room::Whole;
    far: "far end", Room::Whole;
    kind: "kind", Room::Whole;
    over: "over", Room::Whole;
    from: "from", Room::Whole;
    to: "to", Room::Whole;
    families: "carries", Room::Whole;
    reflects: "reflects", Room::Whole;
    state: "state", Room::Lines(44);
    finding: "finding", Room::Whole;
}

fn sheet(state: &State, only: Option<&Selection>, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let mut rows = Vec::new();
    let mut down = 0;
    for (id, session) in progress.each(Stage::Rows, fabric.sessions()) {
        let outcome = state.bgp().session(id);
        let asked = match only {
            // Both ends are in one row, where both are asked for.
            Some(only) if !only.has_device(session.peer) => only.has_device(session.device),
            Some(only) if !only.has_device(session.device) => outcome.twin.is_none(),
            _ => outcome.twin.is_none_or(|twin| id < twin),
        };
        if !asked {
            continue;
        }
        let (text, tone) = match outcome.fault {
            Some(fault) => (fault.words(), Tone::Down),
            None if outcome.half => ("up, but opened by one end only".to_owned(), Tone::Impaired),
            None => ("up".to_owned(), Tone::Plain),
        };
        down += usize::from(tone == Tone::Down);
        let families = [Family::Ipv4, Family::Ipv6, Family::Evpn];
        let carried = families.into_iter().filter(|&family| outcome.carries(family));
        let finding = state.behind(Trouble::Session(id));
        let line = Line {
            device: Cell::text(fabric.device_name(session.device)),
            far: Cell::text(fabric.device_name(session.peer)),
            kind: Cell::text(kind(fabric, session)),
            over: Cell::text(between(fabric, session)),
            from: address(session.source.map(|address| address.value.to_string())),
            to: address(session.peer_address.map(|address| address.value.to_string())),
            families: Cell::List(carried.map(name).collect()),
            reflects: Cell::text(reflects(fabric, session, outcome.twin)),
            state: Cell::text(text),
            finding: Cell::text(finding.unwrap_or_default()),
        };
        rows.push(
            line.row(tone, vec![Subject::Device(session.device), Subject::Device(session.peer)]),
        );
    }
    let total = count(rows.len(), "session");
    Sheet {
        topic: SHEET.word,
        title: format!("BGP sessions{}: {total}, {down} down", of(fabric)),
        keys: 4,
        columns: Line::columns(),
        rows,
    }
}

fn name(family: Family) -> String {
    match family {
        Family::Ipv4 => "IPv4",
        Family::Ipv6 => "IPv6",
        Family::Evpn => "EVPN",
    }
    .to_owned()
}

fn address(text: Option<String>) -> Cell {
    text.map_or(Cell::Empty, Cell::text)
}

fn kind(fabric: &Fabric, session: &Session) -> String {
    let asn = |device: DeviceId| fabric.router_of(device).and_then(|router| router.as_number);
    match (asn(session.device), asn(session.peer)) {
        (Some(own), Some(theirs)) if own.value == theirs.value => format!("iBGP, AS {}", own.value),
        (Some(own), Some(theirs)) => format!("eBGP, AS {} to {}", own.value, theirs.value),
        _ => "no AS number".to_owned(),
    }
}

fn between(fabric: &Fabric, session: &Session) -> String {
    match (session.over, session.interface) {
        (SessionOver::Links, Some(interface)) => fabric.interface_name(interface),
        _ => "loopbacks".to_owned(),
    }
}

fn reflects(fabric: &Fabric, session: &Session, twin: Option<SessionId>) -> String {
    let twin = twin.map(|twin| fabric.session(twin));
    match (session.client.value, twin.is_some_and(|twin| twin.client.value)) {
        (true, _) => format!(
            "{} to {}",
            fabric.device_name(session.device),
            fabric.device_name(session.peer)
        ),
        (_, true) => format!(
            "{} to {}",
            fabric.device_name(session.peer),
            fabric.device_name(session.device)
        ),
        _ => String::new(),
    }
}
