use felting::behaviour::{LagOutcome, Trouble};
use felting::fabric::{Lag, LagId, Uplink};
use felting::id::Id as _;
use felting::progress::{Progress, Stage};
use felting::value::{Protocol, VlanId, VlanSet};
use felting::{Fabric, State};

use super::{Cell, Column, Follows, Record, Room, Row, Sheet, Subject, Tone, column, of};

pub(super) const SHEET: Record = Record {
    word: "lags",
    about: "every LAG end: is it up, on what, and if not why not",
    of_switches: false,
    follows: Follows::Losses,
    make: |state, _, progress| sheet(state, progress),
};

line! {
    device: "device", Room::Whole;
    lag: "LAG", Room::Whole;
    group: "group", Room::Whole;
    speaks: "speaks", Room::Spare;
    state: "state", Room::Whole;
    in_use: "in use", Room::Whole;
    bandwidth: "carries", Room::Spare;
    far: "far end", Room::Lines(24);
    vlans: "VLANs", Room::Spare;
    reason: "reason", Room::Lines(44);
    finding: "finding", Room::Whole;
}

fn sheet(state: &State, progress: &Progress) -> Sheet {
    let fabric = state.fabric();
    let vlans = vlans(fabric);
    let rows = progress.each(Stage::Rows, fabric.lags()).map(|(id, lag)| {
        let outcome = state.lag(id);
        let (tagged, untagged) = &vlans[id.index()];
        let vlans = match untagged {
            Some(vlan) if tagged.is_empty() => format!("{vlan} untagged"),
            Some(vlan) => format!("{tagged}; {vlan} untagged"),
            None => tagged.to_string(),
        };
        let tone = match state_of(lag, outcome) {
            "down" => Tone::Down,
            "up" => Tone::Plain,
            _ => Tone::Impaired,
        };
        let line = Line {
            device: Cell::text(fabric.device_name(lag.device)),
            lag: Cell::text(lag.name.as_str()),
            group: Cell::number(lag.group_number.map(|group| group.get())),
            speaks: Cell::text(spoken(lag)),
            state: Cell::text(state_of(lag, outcome)),
            in_use: Cell::text(format!("{} of {}", outcome.in_use, lag.members.len())),
            bandwidth: Cell::text(
                outcome.bandwidth.map(|speed| speed.to_string()).unwrap_or_default(),
            ),
            far: far_ends(state, lag),
            vlans: Cell::text(vlans),
            reason: Cell::text(why(state, id, outcome)),
            finding: Cell::text(state.behind(Trouble::Lag(id)).unwrap_or_default()),
        };
        line.row(tone, vec![Subject::Device(lag.device)])
    });
    Sheet {
        topic: SHEET.word,
        title: title(state),
        keys: 2,
        columns: Line::columns(),
        rows: rows.collect(),
    }
}

fn title(state: &State) -> String {
    let fabric = state.fabric();
    let count = |wanted: &str| {
        fabric.lags().filter(|(id, lag)| state_of(lag, state.lag(*id)) == wanted).count()
    };
    let (up, part, down) = (count("up"), count("partial"), count("down"));
    let of = of(fabric);
    match (part, down) {
        (0, 0) => format!("LAGs{of}, each from both ends: all {up} ends up"),
        _ => {
            format!("LAGs{of}, each from both ends: {down} down, {part} partial, {up} up")
        }
    }
}

/// The VLANs of each LAG end: as written on a switch, those of a bond's networks on a host.
fn vlans(fabric: &Fabric) -> Vec<(VlanSet, Option<VlanId>)> {
    let of_lag =
        |(_, lag): (LagId, &Lag)| (lag.tagged.value.clone(), lag.untagged.map(|v| v.value));
    let mut vlans: Vec<_> = fabric.lags().map(of_lag).collect();
    for (_, network) in fabric.networks() {
        let Uplink::Bond(bond) = network.uplink else { continue };
        let (Some(lag), Some(tags)) = (fabric.bond(bond).lag, &network.tags) else { continue };
        let known = &mut vlans[lag.index()].0;
        *known = known.union(&tags.value);
    }
    vlans
}

/// The LAG ends that members in use lead to.
pub(super) fn far_ends(state: &State, lag: &Lag) -> Cell {
    let fabric = state.fabric();
    let mut far: Vec<LagId> = lag
        .members
        .iter()
        .map(|member| state.member(member))
        .filter(|outcome| outcome.distributing)
        .filter_map(|outcome| fabric.lag_of(outcome.far?))
        .collect();
    far.sort_unstable();
    far.dedup();
    match far.is_empty() {
        true => Cell::Empty,
        false => Cell::List(far.into_iter().map(|far| fabric.lag_label(far)).collect()),
    }
}

fn spoken(lag: &Lag) -> String {
    match lag.protocol.value {
        Protocol::Lacp => format!("LACP {}", lag.mode.value),
        other => other.to_string(),
    }
}

pub(super) fn state_of(lag: &Lag, outcome: &LagOutcome) -> &'static str {
    outcome.word(lag.members.len())
}

/// What each member that is not in use waits for.
pub(super) fn why(state: &State, id: LagId, outcome: &LagOutcome) -> String {
    let fabric = state.fabric();
    let lag = fabric.lag(id);
    let mut reasons: Vec<(String, Vec<&str>)> = Vec::new();
    if outcome.below_minimum {
        reasons.push((format!("fewer than the {} it needs", lag.min_members.value), Vec::new()));
    }
    for member in lag.members.iter() {
        let Some(reason) = state.why_not(member) else { continue };
        let port = fabric.port_name(fabric.member(member).port.value);
        match reasons.iter_mut().find(|(known, _)| *known == reason) {
            Some((_, ports)) => ports.push(port),
            None => reasons.push((reason, vec![port])),
        }
    }
    let parts = reasons.into_iter().map(|(reason, ports)| match ports.is_empty() {
        true => reason,
        false => format!("{}: {reason}", ports.join(", ")),
    });
    parts.collect::<Vec<_>>().join("; ")
}
