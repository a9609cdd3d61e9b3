use felting::behaviour::{AdjacencyFault, Trouble};
use felting::fabric::{Interface, InterfaceId, Selection};
use felting::progress::{Progress, Stage};
use felting::value::UnderlayProtocol;
use felting::{Fabric, State};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, count, of};

pub(super) const SHEET: Record = Record {
    word: "adjacencies",
    about: "every underlay link: are its routers neighbours, and if not why not",
    of_switches: false,
    follows: Follows::Losses,
    make: |state, only, progress| sheet(state, only, progress),
};

line! {
    near: "near end", Room::Whole;
    far: "far end", Room::Whole;
    protocol: "protocol", Room::Whole;
    area: "area", Room::Whole;
    cost: "cost", Room::Whole;
    bfd: "BFD", Room::Whole;
    state: "state", Room::Lines(44);
    finding: "finding", Room::Whole;
}

fn sheet(state: &State, only: Option<&Selection>, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let mut rows = Vec::new();
    let mut down = 0;
    for (id, adjacency) in progress.each(Stage::Rows, state.underlay().adjacencies()) {
        let ends = [adjacency.near, adjacency.far];
        let devices = ends.map(|id| fabric.interface(id).device);
        // A switch that is asked for comes first.
        let [near, far] = match only {
            Some(only) if only.has_device(devices[1]) && !only.has_device(devices[0]) => {
                [ends[1], ends[0]]
            }
            _ => ends,
        };
        let of_session = fabric.session_on(near).and_then(|session| {
            let fault = state.bgp().session(session).fault?;
            Some((fault.words(), Trouble::Session(session)))
        });
        let (text, trouble) = match (adjacency.fault, of_session) {
            (Some(fault), _) => (fault.words().to_owned(), Trouble::Adjacency(id)),
            (None, Some((text, trouble))) => (text, trouble),
            (None, None) => ("up".to_owned(), Trouble::Adjacency(id)),
        };
        let tone = match (adjacency.fault, text.as_str()) {
            (_, "up") => Tone::Plain,
            (Some(AdjacencyFault::Passive), _) => Tone::Impaired,
            _ => Tone::Down,
        };
        down += usize::from(tone == Tone::Down);
        let finding = state.behind(trouble).filter(|_| tone != Tone::Plain);
        let (a, b) = (fabric.interface(near), fabric.interface(far));
        let line = Line {
            near: Cell::text(fabric.interface_label(near)),
            far: Cell::text(fabric.interface_label(far)),
            protocol: Cell::text(protocol(a, b)),
            area: both(fabric, [near, far], area),
            cost: both(fabric, [near, far], |interface| interface.cost.value.to_string()),
            bfd: both(fabric, [near, far], |interface| {
                if interface.bfd.value { "yes" } else { "no" }.to_owned()
            }),
            state: Cell::text(text),
            finding: Cell::text(finding.unwrap_or_default()),
        };
        rows.push(line.row(tone, devices.map(Subject::Device).to_vec()));
    }
    let total = count(rows.len(), "link");
    Sheet {
        topic: SHEET.word,
        title: format!("Routing neighbours{}: {total}, {down} down", of(fabric)),
        keys: 2,
        columns: Line::columns(),
        rows,
    }
}

/// What both ends have, or what each has where they differ.
fn both(fabric: &Fabric, ends: [InterfaceId; 2], text: impl Fn(&Interface) -> String) -> Cell {
    let [one, other] = ends.map(|id| text(fabric.interface(id)));
    Cell::text(if one == other { one } else { format!("{one} / {other}") })
}

fn protocol(a: &Interface, b: &Interface) -> String {
    let name = |interface: &Interface| match interface.protocol.value {
        UnderlayProtocol::Ospf => "OSPF",
        UnderlayProtocol::Isis => "IS-IS",
        UnderlayProtocol::Bgp => "BGP",
        UnderlayProtocol::None => "none",
    };
    match name(a) == name(b) {
        true => name(a).to_owned(),
        false => format!("{} / {}", name(a), name(b)),
    }
}

fn area(interface: &Interface) -> String {
    match interface.protocol.value {
        UnderlayProtocol::Ospf => interface.area.value.to_string(),
        UnderlayProtocol::Isis => {
            format!("{}, level {}", interface.area.value, interface.level.value)
        }
        UnderlayProtocol::Bgp | UnderlayProtocol::None => String::new(),
    }
}
