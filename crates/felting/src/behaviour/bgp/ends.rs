//! How the ends of sessions are set.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use crate::diagnostic::At;
use crate::fabric::{Fabric, PolicyName, SessionId};
use crate::id::IdVec;
use crate::value::NextHopRule;

/// How the two ends of a session are set, as far as it decides what is passed on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) struct Ends([u32; 2]);

/// A number for each end of a session: those of one number pass routes on alike.
#[derive(Clone, Debug, Default)]
pub(crate) struct Kinds(IdVec<SessionId, u32>);

impl Kinds {
    pub(super) fn of(fabric: &Fabric) -> Self {
        type Names = SmallVec<[PolicyName; 2]>;
        type Kind = (bool, bool, Option<NextHopRule>, Names, Names);
        let mut known: FxHashMap<Kind, u32> = FxHashMap::default();
        let mut kinds = IdVec::filled(&fabric.sessions, 0);
        for (id, session) in fabric.sessions() {
            let names = |names: &[At<PolicyName>]| names.iter().map(|name| name.value).collect();
            let kind = (
                session.client.value,
                session.communities.value,
                session.next_hop.map(|rule| rule.value),
                names(&session.import),
                names(&session.export),
            );
            let next = u32::try_from(known.len()).unwrap_or(u32::MAX);
            kinds[id] = *known.entry(kind).or_insert(next);
        }
        Self(kinds)
    }

    pub(super) fn ends(&self, near: SessionId, far: SessionId) -> Ends {
        Ends([near, far].map(|end| self.0[end]))
    }
}
