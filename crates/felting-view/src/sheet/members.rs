use felting::State;
use felting::behavior::MemberState;
use felting::progress::{Progress, Stage};

use super::{Cell, Record, Room, Row, Sheet, Tone, column, count, of};

pub(super) const SHEET: Record = Record {
    word: "members",
    about: "every LAG member: selected or not and why, and what its LACPDUs read",
    of_one: false,
    make: |state, _, progress| sheet(state, progress),
};

fn sheet(state: &State, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let rows = progress.each(Stage::Rows, fabric.members()).map(|(id, member)| {
        let outcome = state.member(id);
        let lag = fabric.lag(member.lag);
        let port = member.port.value;
        let standing = match outcome.state {
            MemberState::Selected if outcome.distributing => "in use",
            MemberState::Selected => "selected",
            MemberState::Standby => "standing by",
            MemberState::Apart => "left out",
            MemberState::Individual => "alone",
            MemberState::Closed => "closed",
            MemberState::Refused => "refused",
            _ => "without link",
        };
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
        let cells = vec![
            Cell::text(fabric.device_name(lag.device)),
            Cell::text(lag.name.as_str()),
            Cell::text(fabric.port_name(port)),
            Cell::text(standing),
            Cell::text(fabric.port(port).speed.to_string()),
            Cell::text(outcome.far.map(|far| fabric.port_label(far)).unwrap_or_default()),
            Cell::text(state.why_not(id).unwrap_or_default()),
            Cell::text(says.unwrap_or_default()),
            Cell::text(hears.unwrap_or_default()),
            Cell::number(Some(member.priority)),
            Cell::text(
                outcome.cause.map(|cause| state.causes().get(cause).rule).unwrap_or_default(),
            ),
        ];
        Row { cells, tone }
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
        columns: vec![
            column("device", "on", Room::Whole),
            column("lag", "LAG", Room::Whole),
            column("port", "port", Room::Whole),
            column("standing", "it is", Room::Whole),
            column("speed", "speed", Room::Spare),
            column("far_port", "leads to", Room::Whole),
            column("why", "because", Room::Lines(44)),
            column("says", "its LACPDUs say", Room::Lines(54)),
            column("hears", "it hears", Room::Spare),
            column("priority", "port priority", Room::Spare),
            column("finding", "finding", Room::Whole),
        ],
        rows,
    }
}
