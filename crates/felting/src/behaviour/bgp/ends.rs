//! How the ends of sessions are set.

use smallvec::SmallVec;

use crate::diagnostic::At;
use crate::fabric::{Fabric, PolicyName, SessionId};
use crate::id::Id;
use crate::value::NextHopRule;

/// How the two ends of a session are set, as far as it decides what is passed on.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(super) struct Ends {
    ends: [End; 2],
}

#[derive(Clone, Debug, PartialEq, Eq, Hash)]
struct End {
    client: bool,
    communities: bool,
    next_hop: Option<NextHopRule>,
    import: SmallVec<[Option<u32>; 2]>,
    export: SmallVec<[Option<u32>; 2]>,
}

impl Ends {
    pub(super) fn of(fabric: &Fabric, near: SessionId, far: SessionId) -> Self {
        let names = |names: &[At<PolicyName>]| {
            names
                .iter()
                .map(|name| match name.value {
                    PolicyName::Everything => None,
                    PolicyName::Policy(policy) => u32::try_from(policy.index()).ok(),
                })
                .collect()
        };
        let end = |session: SessionId| {
            let session = fabric.session(session);
            End {
                client: session.client.value,
                communities: session.communities.value,
                next_hop: session.next_hop.map(|rule| rule.value),
                import: names(&session.import),
                export: names(&session.export),
            }
        };
        Self { ends: [end(near), end(far)] }
    }
}
