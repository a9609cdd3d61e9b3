use std::fmt::Write as _;

use felting::behaviour::{KeepaliveFault, KeepalivePath, PairOutcome, PrimaryReason, Trouble};
use felting::fabric::{GroupId, Pair, PairId};
use felting::id::Id as _;
use felting::progress::{Progress, Stage};
use felting::{Fabric, State};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, count, of};

pub(super) const SHEET: Record = Record {
    word: "pairs",
    about: "every pair: who is primary and why, peer link, keepalive, groups",
    of_switches: false,
    follows: Follows::Losses,
    make: |state, _, progress| sheet(state, progress),
};

line! {
    pair: "pair", Room::Whole;
    device: "device", Room::Whole;
    role: "role", Room::Whole;
    reason: "reason", Room::Lines(30);
    peer_link: "peer link", Room::Lines(22);
    keepalive: "keepalive", Room::Lines(34);
    groups: "groups up", Room::Whole;
    consequence: "consequence", Room::Lines(44);
    finding: "finding", Room::Whole;
}

fn sheet(state: &State, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let mut rows = Vec::new();
    let mut groups_of: Vec<Vec<GroupId>> = vec![Vec::new(); fabric.pairs().len()];
    for (id, group) in fabric.groups() {
        groups_of[group.pair.index()].push(id);
    }
    for (id, pair) in progress.each(Stage::Rows, fabric.pairs()) {
        let own = &groups_of[id.index()];
        let outcome = state.pair(id);
        for side in 0..2 {
            let consequence = consequence(state, id, own, side);
            let whole = outcome.peer_link && outcome.alive && consequence.is_empty();
            let tone = match (outcome.on[side], whole) {
                (false, _) => Tone::Down,
                (true, true) => Tone::Plain,
                (true, false) => Tone::Impaired,
            };
            let finding = state.behind(Trouble::Pair(id));
            let line = Line {
                pair: Cell::text(pair.name.as_str()),
                device: Cell::text(fabric.device_name(pair.sides[side].switch.value)),
                role: Cell::text(outcome.role(side)),
                reason: Cell::text(because(fabric, pair, outcome)),
                peer_link: Cell::text(peer_link(state, pair, outcome, side)),
                keepalive: Cell::text(keepalive(fabric, pair, outcome, side)),
                groups: Cell::text(groups(state, own, side)),
                consequence: Cell::text(consequence),
                finding: Cell::text(finding.unwrap_or_default()),
            };
            rows.push(line.row(tone, vec![Subject::Device(pair.sides[side].switch.value)]));
        }
    }
    Sheet {
        topic: SHEET.word,
        title: format!("Pairs{}: {}", of(fabric), count(fabric.pairs().len(), "pair")),
        keys: 2,
        columns: Line::columns(),
        rows,
    }
}

fn because(fabric: &Fabric, pair: &Pair, outcome: &PairOutcome) -> String {
    let priority = |side: usize| pair.sides[side].priority.map(|priority| priority.value);
    let Some(primary) = outcome.primary else { return "both sides are off".to_owned() };
    let name = |side: usize| fabric.device_name(pair.sides[side].switch.value);
    match (outcome.why, priority(primary), priority(1 - primary)) {
        (PrimaryReason::Alone, ..) => format!("{} is alone", name(primary)),
        (PrimaryReason::Priority, Some(low), Some(high)) => {
            format!("{}: priority {low} is lower than {high}", name(primary))
        }
        (PrimaryReason::Priority, Some(low), None) => {
            format!("{}: priority {low}, the other has none", name(primary))
        }
        (_, Some(tied), _) => {
            format!("{}: lower MAC address, priorities are both {tied}", name(primary))
        }
        _ => format!("{}: lower MAC address, no priorities", name(primary)),
    }
}

fn peer_link(state: &State, pair: &Pair, outcome: &PairOutcome, side: usize) -> String {
    let fabric = state.fabric();
    match (pair.sides[side].peer_link, pair.sides[side].peer_port) {
        (Some(link), _) => {
            let (lag, of) = (fabric.lag(link.value), state.lag(link.value));
            let bandwidth = of.bandwidth.map_or_else(String::new, |speed| format!(", {speed}"));
            let up = if of.up { "up" } else { "down" };
            format!("{up}, {} of {}{bandwidth}", of.in_use, lag.members.len())
        }
        (None, Some(port)) => {
            let up = if outcome.peer_link { "up" } else { "down" };
            format!("{up}, only {}", fabric.port_name(port.value))
        }
        (None, None) => "none".to_owned(),
    }
}

fn keepalive(fabric: &Fabric, pair: &Pair, outcome: &PairOutcome, side: usize) -> String {
    let Some(keepalive) = &pair.sides[side].keepalive else { return "none".to_owned() };
    let network = |id| &fabric.management_network(id).name.value;
    let way = match outcome.keepalive[side] {
        KeepalivePath::Management(id) => format!("over {}", network(id)),
        KeepalivePath::Routed(near, far) => format!("from {} to {}", network(near), network(far)),
        KeepalivePath::Link(port) => format!("by {}", fabric.port_name(port)),
        KeepalivePath::Underlay => "as routes lead".to_owned(),
        KeepalivePath::InBand(_) => "over the peer link itself".to_owned(),
        KeepalivePath::Unjudged => "no management network is written".to_owned(),
        KeepalivePath::Broken(fault) => match fault {
            KeepaliveFault::NotOwn => "lost: not an address of this side".to_owned(),
            KeepaliveFault::NotTheirs => "lost: not an address of the other side".to_owned(),
            KeepaliveFault::Apart(near, far) => {
                format!("lost: no router from {} to {}", network(near), network(far))
            }
            KeepaliveFault::OtherVrf(id) => format!("lost: {} is in another VRF", network(id)),
            KeepaliveFault::NoRoute => "lost: no routed link leads there".to_owned(),
            KeepaliveFault::LinkDown(port) => format!("lost: {} is down", fabric.port_name(port)),
            _ => "lost".to_owned(),
        },
        _ => String::new(),
    };
    format!("{} to {}, {way}", keepalive.from.value, keepalive.to.value)
}

fn groups(state: &State, own: &[GroupId], side: usize) -> String {
    let fabric = state.fabric();
    let halves = own.iter().filter(|&&group| fabric.group(group).halves[side].is_some());
    let up = halves.clone().filter(|&&group| state.group(group).up[side]).count();
    format!("{up} of {}", halves.count())
}

/// What a pair does about what is down.
fn consequence(state: &State, id: PairId, own: &[GroupId], side: usize) -> String {
    let fabric = state.fabric();
    let pair = fabric.pair(id);
    let outcome = state.pair(id);
    if !outcome.on[side] {
        return String::new();
    }
    if outcome.closes == Some(side) {
        let other = fabric.device_name(pair.sides[1 - side].switch.value);
        return format!(
            "the peer link is down and {other} lives: it closes its group members; what hangs on it alone is cut off from the pair"
        );
    }
    if outcome.doubled {
        return "peer link and keepalive are down: both sides stay up, each as primary".to_owned();
    }
    let crossing: Vec<_> = own
        .iter()
        .filter(|&&group| state.group(group).crosses == Some(side))
        .map(|&group| fabric.group(group).number.to_string())
        .collect();
    match crossing.len() {
        0 => String::new(),
        1..=4 => format!("its frames for group {} cross the peer link", crossing.join(", ")),
        many => {
            let mut text = format!("its frames for {many} groups cross the peer link: ");
            // Writing to a String cannot fail.
            let _ = write!(text, "{} and others", crossing[..3].join(", "));
            text
        }
    }
}
