use felting::State;
use felting::behavior::{MasterReason, StackShape};
use felting::fabric::{Stack, StackId};
use felting::progress::{Progress, Stage};
use felting::value::SplitDetection;

use super::{Cell, Record, Room, Row, Sheet, Tone, column, count, of};

pub(super) const SHEET: Record = Record {
    word: "stacks",
    about: "every stack member: who is master and why, stack links",
    of_one: false,
    make: |state, _, progress| sheet(state, progress),
};

fn sheet(state: &State, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let mut rows = Vec::new();
    for (id, stack) in progress.each(Stage::Rows, fabric.stacks()) {
        for place in 0..stack.members.len() {
            rows.push(row(state, id, stack, place));
        }
    }
    Sheet {
        topic: SHEET.word,
        title: format!("Stacks{}: {}", of(fabric), count(fabric.stacks().len(), "stack")),
        keys: 2,
        columns: vec![
            column("stack", "stack", Room::Whole),
            column("member", "member", Room::Whole),
            column("role", "it is", Room::Whole),
            column("because", "because", Room::Lines(36)),
            column("links", "stack links", Room::Lines(30)),
            column("priority", "priority", Room::Whole),
            column("domain", "domain", Room::Whole),
            column("hardware", "hardware", Room::Spare),
            column("ports", "ports up", Room::Whole),
            column("consequence", "so", Room::Lines(44)),
        ],
        rows,
    }
}

fn row(state: &State, id: StackId, stack: &Stack, place: usize) -> Row {
    let fabric = state.fabric();
    let (member, outcome) = (&stack.members[place], state.stack(id));
    let part = outcome.part_of(place);
    let (role, because) = match part {
        _ if member.same_id_as.is_some() => ("refused", "another member has its id".to_owned()),
        _ if member.absent.is_some() => ("not there", "nothing stands in its place".to_owned()),
        None => ("off", String::new()),
        Some(part) if part.master == place => (
            "master",
            match part.why {
                MasterReason::Alone => "alone in its part".to_owned(),
                MasterReason::Priority => {
                    format!("the highest priority, {}", member.priority.value)
                }
                _ => format!(
                    "the lowest MAC address of those with priority {}",
                    member.priority.value
                ),
            },
        ),
        Some(part) => {
            ("member", format!("member {} is master", stack.members[part.master].id.value))
        }
    };
    let links = member.stack_ports.iter().map(|&port| {
        let far = state.far(port).map(|far| fabric.port_name(far).to_owned());
        format!("{} to {}", fabric.port_name(port), far.unwrap_or_else(|| "nothing".to_owned()))
    });
    let up = member.ports.iter().filter(|&port| state.far(port).is_some()).count();
    let (consequence, tone) = consequence(state, id, stack, place);
    let cells = vec![
        Cell::text(fabric.device_name(stack.switch.value)),
        Cell::number(Some(member.id.get())),
        Cell::text(role),
        Cell::text(because),
        Cell::List(links.collect()),
        Cell::number(Some(member.priority.value)),
        Cell::number(member.domain.map(|domain| domain.get())),
        Cell::text(
            member
                .hardware
                .map(|kind| fabric.hardware_kind(kind.value).name.to_string())
                .unwrap_or_default(),
        ),
        Cell::text(format!("{up} of {}", member.ports.len())),
        Cell::text(consequence),
    ];
    let tone = if part.is_none() { Tone::Down } else { tone };
    Row { cells, tone }
}

/// What follows from how the stack hangs together, said at the members that it concerns.
fn consequence(state: &State, id: StackId, stack: &Stack, place: usize) -> (String, Tone) {
    let outcome = state.stack(id);
    match (outcome.shape, outcome.part_of(place)) {
        (StackShape::Chain, Some(part)) if part.master == place => (
            "a chain: the next link or inner member that fails splits it".to_owned(),
            Tone::Impaired,
        ),
        (StackShape::Ring, Some(part)) if part.master == place => {
            ("a ring: any one link or member may fail".to_owned(), Tone::Plain)
        }
        (StackShape::Split, Some(part)) if part.closed => {
            let by = match stack.split_detection.value {
                SplitDetection::Lacp => "LACP",
                _ => "its own link",
            };
            (format!("split off: it notices by {by} and closes all its ports"), Tone::Down)
        }
        (StackShape::Split, Some(_)) if outcome.is_doubled() => (
            "split, and nothing notices: each part goes on with the same addresses".to_owned(),
            Tone::Down,
        ),
        (StackShape::Split, Some(_)) => ("goes on as the stack".to_owned(), Tone::Impaired),
        _ => (String::new(), Tone::Plain),
    }
}
