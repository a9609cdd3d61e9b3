use felting::State;
use felting::behaviour::MemberState;
use felting::progress::{Progress, Stage};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, count, of};

pub(super) const SHEET: Record = Record {
    word: "members",
    about: "every LAG member: selected or not and why, and what its LACPDUs read",
    of_switches: false,
    follows: Follows::Losses,
    make: |state, _, progress| sheet(state, progress),
};

line! {
    device: "device", Room::Whole;
    lag: "LAG", Room::Whole;
    port: "port", Room::Whole;
    state: "state", Room::Whole;
    speed: "speed", Room::Spare;
    far: "far end", Room::Whole;
    reason: "reason", Room::Lines(44);
    says: "its LACPDUs say", Room::Lines(54);
    hears: "it hears", Room::Spare;
    priority: "port priority", Room::Spare;
    finding: "finding", Room::Whole;
}

fn sheet(state: &State, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let rows = progress.each(Stage::Rows, fabric.members()).map(|(id, member)| {
        let outcome = state.member(id);
        let lag = fabric.lag(member.lag);
        let port = member.port.value;
        let tone = match outcome.state {
            MemberState::Selected if outcome.distributing => Tone::Plain,
            MemberState::Standby | MemberState::Selected => Tone::Impaired,
            _ => Tone::Down,
        };
        let says = state.lacpdu(id).map(|says| says.to_string());
        let hears = outcome
            .far
            .and_then(|far| fabric.member_of(far))
            .and_then(|far| state.lacpdu(far))
            .map(|says| format!("0x{:02x}", says.octet()));
        let line = Line {
            device: Cell::text(fabric.device_name(lag.device)),
            lag: Cell::text(lag.name.as_str()),
            port: Cell::text(fabric.port_name(port)),
            state: Cell::text(outcome.word()),
            speed: Cell::text(fabric.port(port).speed.to_string()),
            far: Cell::text(outcome.far.map(|far| fabric.port_label(far)).unwrap_or_default()),
            reason: Cell::text(state.why_not(id).unwrap_or_default()),
            says: Cell::text(says.unwrap_or_default()),
            hears: Cell::text(hears.unwrap_or_default()),
            priority: Cell::number(Some(member.priority)),
            finding: Cell::text(
                outcome.cause.map(|cause| state.causes().get(cause).rule).unwrap_or_default(),
            ),
        };
        line.row(tone, vec![Subject::Device(lag.device)])
    });
    let rows: Vec<Row> = rows.collect();
    let unused = rows.iter().filter(|row| row.tone != Tone::Plain).count();
    Sheet {
        topic: SHEET.word,
        title: match unused {
            0 => format!("LAG members{}: all {} in use", of(fabric), rows.len()),
            unused => format!(
                "LAG members{}: {unused} of {} not in use",
                of(fabric),
                count(rows.len(), "member")
            ),
        },
        keys: 3,
        columns: Line::columns(),
        rows,
    }
}
