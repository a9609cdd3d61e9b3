//! What a device does not take into a LAG, whatever the far end says.

use rustc_hash::FxHashMap;

use super::outcome::Reason;
use crate::behaviour::cause::{Aspect, CauseId, Causes, Entity};
use crate::fabric::{Fabric, Lag, LagId, MemberId};
use crate::value::{Duplex, Protocol, Speed};

/// The members that their own device refuses, and why.
pub(super) type Refused = FxHashMap<MemberId, (Reason, CauseId)>;

pub(super) fn refused(fabric: &Fabric, causes: &mut Causes) -> Refused {
    let mut refused = Refused::default();
    for (id, lag) in fabric.lags() {
        if unsupported(fabric, lag) {
            let cause = causes.add("lag-unsupported", Entity::Lag(id), Aspect::Ability, None);
            refused.extend(lag.members.iter().map(|member| (member, (Reason::Unsupported, cause))));
            continue;
        }
        too_many(fabric, id, lag, causes, &mut refused);
        partitions(fabric, id, lag, causes, &mut refused);
        mixed(fabric, id, lag, causes, &mut refused);
    }
    refused
}

/// Whether a device may refuse some member of a LAG, or keep it in reserve.
pub(in crate::behaviour) fn may_refuse(fabric: &Fabric, lag: &Lag) -> bool {
    let limited = fabric
        .hardware_of(lag.device)
        .is_some_and(|kind| kind.members_in_use.is_some() || kind.members_bundled.is_some());
    let mut rates = lag.members.iter().map(|member| rate(fabric, member));
    let first = rates.next();
    limited
        || unsupported(fabric, lag)
        || rates.any(|rate| Some(rate) != first)
        || !fabric.port_settings.is_empty()
            && lag.members.iter().any(|member| {
                let port = fabric.member(member).port.value;
                fabric.settings_of(port).is_some_and(|settings| settings.partition.is_some())
            })
}

/// Whether the device can't do what the LAG asks at all.
fn unsupported(fabric: &Fabric, lag: &Lag) -> bool {
    let Some(kind) = fabric.hardware_of(lag.device) else { return false };
    let no_lacp = !kind.lacp.value;
    let no_routed = !kind.routed_lags.value;
    (no_lacp && lag.protocol.value == Protocol::Lacp) || (no_routed && !lag.addresses.is_empty())
}

fn too_many(fabric: &Fabric, id: LagId, lag: &Lag, causes: &mut Causes, refused: &mut Refused) {
    let Some(limit) = fabric.hardware_of(lag.device).and_then(|kind| kind.members_bundled) else {
        return;
    };
    if lag.members.len() <= usize::from(limit.value) {
        return;
    }
    let cause = causes.add("lag-too-many-members", Entity::Lag(id), Aspect::Ability, None);
    let beyond = lag.members.iter().skip(usize::from(limit.value));
    refused.extend(beyond.map(|member| (member, (Reason::BeyondLimit(limit.value), cause))));
}

/// Ports of other partitions than the first are ports of another switch.
fn partitions(fabric: &Fabric, id: LagId, lag: &Lag, causes: &mut Causes, refused: &mut Refused) {
    if fabric.port_settings.is_empty() {
        return;
    }
    let partition = |member: MemberId| {
        let settings = fabric.settings_of(fabric.member(member).port.value);
        settings.and_then(|settings| settings.partition.as_ref()).map(|name| name.value.as_str())
    };
    let Some(first) = lag.members.get(0).map(partition) else { return };
    for member in lag.members.iter().filter(|&member| partition(member) != first) {
        let cause = causes.add("port-partition-clash", Entity::Lag(id), Aspect::Partition, None);
        refused.entry(member).or_insert((Reason::OtherPartition, cause));
    }
}

/// Whether the device of a LAG aggregates members of different rates.
pub(crate) fn can_mix(fabric: &Fabric, lag: &Lag) -> bool {
    fabric.hardware_of(lag.device).is_some_and(|kind| kind.mixed_rates)
}

/// The rate of a member, by which it can or cannot be aggregated with others.
pub(crate) fn rate(fabric: &Fabric, member: MemberId) -> (Speed, Duplex) {
    let port = fabric.port(fabric.member(member).port.value);
    (port.speed, port.duplex)
}

/// IEEE 802.1AX clause 6.3.2 leaves the aggregation of different rates to the device: those that
/// cannot do it give such ports different keys.
fn mixed(fabric: &Fabric, id: LagId, lag: &Lag, causes: &mut Causes, refused: &mut Refused) {
    if lag.members.len() < 2 || can_mix(fabric, lag) {
        return;
    }
    let Some(first) = lag.members.get(0).map(|member| rate(fabric, member)) else { return };
    let others: Vec<_> =
        lag.members.iter().filter(|&member| rate(fabric, member) != first).collect();
    if others.is_empty() {
        return;
    }
    let fars: Vec<LagId> = lag
        .members
        .iter()
        .filter_map(|member| {
            let (_, far) = fabric.link(fabric.member(member).port.value)?;
            fabric.lag_of(far)
        })
        .collect();
    // Halves of different speed at the far end, or a far end that mixes the same rates, are the
    // same fault.
    let known = fars.iter().find_map(|&far| causes.claimed(Entity::Lag(far), Aspect::Speed));
    let cause = known
        .unwrap_or_else(|| causes.add("lag-member-clash", Entity::Lag(id), Aspect::Rate, None));
    for member in others {
        refused.entry(member).or_insert((Reason::OtherRate(first.0), cause));
    }
    for far in fars {
        causes.claim(cause, Entity::Lag(far), Aspect::Rate);
    }
}
