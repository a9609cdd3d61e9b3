//! How the ends of sessions are set.

use crate::fabric::{Fabric, SessionId};

/// How the two ends of a session are set, as far as it decides what is passed on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) struct Ends([u32; 2]);

impl Ends {
    pub(super) fn of(fabric: &Fabric, near: SessionId, far: SessionId) -> Self {
        Self([near, far].map(|end| fabric.session_kinds[end]))
    }
}
