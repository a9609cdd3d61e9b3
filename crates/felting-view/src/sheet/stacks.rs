use felting::State;
use felting::behaviour::{LeadReason, StackShape};
use felting::fabric::{Stack, StackId};
use felting::progress::{Progress, Stage};
use felting::value::SplitDetection;

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, count, of};

pub(super) const SHEET: Record = Record {
    word: "stacks",
    about: "every stack member: who is lead and why, stack links",
    of_switches: false,
    follows: Follows::Losses,
    make: |state, _, progress| sheet(state, progress),
};

line! {
    device: "device", Room::Whole;
    member: "member", Room::Whole;
    role: "role", Room::Whole;
    reason: "reason", Room::Lines(36);
    links: "stack links", Room::Lines(30);
    priority: "priority", Room::Whole;
    stack_id: "stack id", Room::Whole;
    hardware: "hardware", Room::Spare;
    ports: "ports up", Room::Whole;
    consequence: "consequence", Room::Lines(44);
}

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
        columns: Line::columns(),
        rows,
    }
}

fn row(state: &State, id: StackId, stack: &Stack, place: usize) -> Row {
    let fabric = state.fabric();
    let (member, outcome) = (&stack.members[place], state.stack(id));
    let part = outcome.part_of(place);
    let (role, because) = match part {
        _ if member.same_id_as.is_some() => ("refused", "another member has its id".to_owned()),
        _ if member.absent.is_some() => ("absent", "nothing stands in its place".to_owned()),
        None => ("off", String::new()),
        Some(part) if part.lead == place => (
            "lead",
            match part.why {
                LeadReason::Alone => "alone in its part".to_owned(),
                LeadReason::Priority => match member.priority {
                    Some(priority) => format!("the highest priority, {}", priority.value),
                    None => String::new(),
                },
                _ => match member.priority {
                    Some(priority) => {
                        format!("the lowest MAC address of those with priority {}", priority.value)
                    }
                    None => "the lowest MAC address; no member has a priority".to_owned(),
                },
            },
        ),
        Some(part) => ("member", format!("member {} is lead", stack.members[part.lead].id.value)),
    };
    let links = member.stack_ports.iter().map(|&port| {
        let far = state.far(port).map(|far| fabric.port_name(far).to_owned());
        format!("{} to {}", fabric.port_name(port), far.unwrap_or_else(|| "nothing".to_owned()))
    });
    let up = member.ports.iter().filter(|&port| state.far(port).is_some()).count();
    let (consequence, tone) = consequence(state, id, stack, place);
    let line = Line {
        device: Cell::text(fabric.device_name(stack.switch.value)),
        member: Cell::number(Some(member.id.get())),
        role: Cell::text(role),
        reason: Cell::text(because),
        links: Cell::List(links.collect()),
        priority: Cell::number(member.priority.map(|priority| priority.value)),
        stack_id: Cell::number(member.stack_id.map(|id| id.get())),
        hardware: Cell::text(
            member
                .hardware
                .map(|kind| fabric.hardware_kind(kind.value).name.to_string())
                .unwrap_or_default(),
        ),
        ports: Cell::text(format!("{up} of {}", member.ports.len())),
        consequence: Cell::text(consequence),
    };
    let tone = if part.is_none() { Tone::Down } else { tone };
    line.row(tone, vec![Subject::Device(stack.switch.value)])
}

/// What follows from how the stack hangs together, said at the members that it concerns.
fn consequence(state: &State, id: StackId, stack: &Stack, place: usize) -> (String, Tone) {
    let outcome = state.stack(id);
    match (outcome.shape, outcome.part_of(place)) {
        (StackShape::Chain, Some(part)) if part.lead == place => (
            "a chain: the next link or inner member that fails splits it".to_owned(),
            Tone::Impaired,
        ),
        (StackShape::Ring, Some(part)) if part.lead == place => {
            ("a ring: any one link or member may fail".to_owned(), Tone::Plain)
        }
        (StackShape::Split, Some(part)) if part.closed => {
            let by = match stack.split_detection.value {
                SplitDetection::Management => "the management network",
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
