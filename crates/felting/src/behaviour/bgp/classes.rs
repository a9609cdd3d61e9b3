//! Speakers that behave equally.

use std::net::Ipv4Addr;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::alike::{Common, in_common};
use super::ends::Ends;
use super::next_hop::{Unreached, Unreaching, places_between};
use super::passing::Passing;
use crate::fabric::{Fabric, RouterId};
use crate::id::IdVec;
use crate::value::Asn;

/// Speakers that behave equally: the same peers, set alike at both ends.
#[derive(Clone, Debug, Default)]
pub(super) struct Classes {
    pub(super) of: IdVec<RouterId, u32>,
    /// The first members of each class, at most three: two of them are no pair.
    pub(super) members: Vec<SmallVec<[RouterId; 3]>>,
}

impl Classes {
    /// Groups the speakers. Two are alike if they have the same peers, set alike at both ends, and no AS
    /// number that a third might meet again.
    pub(super) fn of(fabric: &Fabric, passing: &Passing) -> Self {
        type Peer = (RouterId, u8, Ends);
        type Views = Vec<(Unreaching, Vec<(Unreaching, Unreached)>)>;
        type Identity = (Option<Asn>, Option<Ipv4Addr>, Option<Ipv4Addr>, bool);
        type Alike = (Identity, Views, Vec<Peer>);
        let common: FxHashSet<Common> =
            in_common(fabric).into_iter().map(|(what, _)| what).collect();
        // What next hops a speaker has no way to, and who has none to those that are its own.
        let relations = passing.unresolved(fabric).relations(fabric, &places_between(fabric));
        let mut unresolved: FxHashMap<RouterId, Views> = FxHashMap::default();
        for alike in relations.chunk_by(|one, other| one.0 == other.0) {
            let lack = |how: Unreaching| matches!(how, Unreaching::Lacks | Unreaching::Has);
            let lacking: Vec<_> =
                alike.iter().filter(|one| lack(one.1)).map(|&(_, how, of)| (how, of)).collect();
            for &(what, how, of) in alike {
                let Unreached::Router(router) = of else { continue };
                let seen = match how {
                    Unreaching::Lacks | Unreaching::Has | Unreaching::In => vec![(how, what)],
                    Unreaching::Of | Unreaching::Link(_) | Unreaching::LinkTo(_) => lacking.clone(),
                };
                unresolved.entry(router).or_default().push((how, seen));
            }
        }
        let mut known: FxHashMap<Alike, u32> = FxHashMap::default();
        let mut classes = Self { of: IdVec::filled(&fabric.routers, 0), ..Self::default() };
        for (id, router) in fabric.routers.iter() {
            let mut peers: Vec<Peer> = router
                .sessions
                .iter()
                .filter(|&session| passing.outcomes[session].is_up())
                .filter_map(|session| {
                    let peer = fabric.devices[fabric.session(session).peer].router?;
                    let outcome = &passing.outcomes[session];
                    let ends = passing.ends(fabric, session, outcome.twin?);
                    Some((peer, outcome.families, ends))
                })
                .collect();
            peers.sort_unstable_by_key(|peer| (peer.0, peer.1));
            let views = unresolved.get(&id).cloned().unwrap_or_default();
            let asn = router.as_number.map(|asn| asn.value);
            let asn = asn.filter(|&asn| common.contains(&Common::As(asn)));
            let id_value = router.router_id.map(|id| id.value);
            let twice = id_value.filter(|&id| common.contains(&Common::Id(id)));
            let cluster = router.cluster_id.map(|id| id.value);
            let key = ((asn, twice, cluster, router.policy_required), views, peers);
            let next = u32::try_from(classes.members.len()).unwrap_or(u32::MAX);
            let class = *known.entry(key).or_insert(next);
            if class == next {
                classes.members.push(SmallVec::new());
            }
            classes.of[id] = class;
            let members = &mut classes.members[class as usize];
            if members.len() < 3 {
                members.push(id);
            }
        }
        classes
    }
}
