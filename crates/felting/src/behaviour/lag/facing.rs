//! Which ends are meant for each other.

use rustc_hash::{FxBuildHasher, FxHashSet};

use super::outcome::{LagOutcome, MemberOutcome};
use crate::fabric::{Fabric, LagId, MemberId};
use crate::id::Pages;

/// LAG ends that are linked and that no fault of cabling or membership keeps apart.
pub(in crate::behaviour) fn facing(
    fabric: &Fabric,
    members: &Pages<MemberId, MemberOutcome>,
    lags: &Pages<LagId, LagOutcome>,
) -> Vec<(LagId, LagId)> {
    facing_of(fabric, members, lags, fabric.lags.ids())
}

/// Of some LAGs alone, those with a lower id than the other end's.
pub(in crate::behaviour) fn facing_of(
    fabric: &Fabric,
    members: &Pages<MemberId, MemberOutcome>,
    lags: &Pages<LagId, LagOutcome>,
    of: impl Iterator<Item = LagId>,
) -> Vec<(LagId, LagId)> {
    let mut facing: Vec<(LagId, LagId)> = Vec::new();
    for id in of.flat_map(|lag| fabric.lag(lag).members.iter()) {
        let member = fabric.member(id);
        let Some(far) = members[id].far.and_then(|far| fabric.lag_of(far)) else { continue };
        let pair = (member.lag, far);
        if member.lag < far && !lags[member.lag].tangled && facing.last() != Some(&pair) {
            facing.push(pair);
        }
    }
    facing.sort_unstable();
    facing.dedup();
    facing
}

/// Of ends that face each other, the first of each two wholes: the halves of a group, or the legs of an
/// Ethernet segment, count as one.
pub(in crate::behaviour) fn facing_wholes(
    fabric: &Fabric,
    facing: &[(LagId, LagId)],
) -> Vec<(LagId, LagId)> {
    firsts_of_wholes(fabric, facing.iter().copied())
}

/// Of pairs of ends, the first of each two wholes.
pub(crate) fn firsts_of_wholes(
    fabric: &Fabric,
    ends: impl Iterator<Item = (LagId, LagId)>,
) -> Vec<(LagId, LagId)> {
    let whole = |lag: LagId| match (fabric.lag(lag).group, fabric.lag(lag).segment) {
        (Some(group), _) => fabric.group(group).halves.into_iter().flatten().next().unwrap_or(lag),
        (None, Some(segment)) => fabric.ethernet_segment(segment).legs[0],
        (None, None) => lag,
    };
    let mut seen = FxHashSet::with_capacity_and_hasher(ends.size_hint().0, FxBuildHasher);
    let is_first = |&(one, other): &(LagId, LagId)| {
        let (one, other) = (whole(one), whole(other));
        seen.insert((one.min(other), one.max(other)))
    };
    ends.filter(is_first).collect()
}
